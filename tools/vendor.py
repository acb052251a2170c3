"""Copy the front-end packages the pages use from their npm packages into the tree.

Run by hand when a version changes (`make vendor`); the result is committed, so that
nothing is downloaded or built to run Updraft. Needs npm.
"""

import shutil
import subprocess
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
STATIC = ROOT / "src/updraft/web/static/vendor"
TESTS = ROOT / "tests/vendor"

# package, version, {file in the package: file here}
PACKAGES: list[tuple[str, str, Path, dict[str, str]]] = [
    ("bootstrap", "5.3.9", STATIC, {"dist/css/bootstrap.min.css": "bootstrap.min.css", "LICENSE": "LICENSE"}),
    (
        "bootstrap-icons",
        "1.13.2",
        STATIC,
        {
            "font/bootstrap-icons.min.css": "bootstrap-icons.min.css",
            "font/fonts/bootstrap-icons.woff2": "fonts/bootstrap-icons.woff2",
            "LICENSE": "LICENSE",
        },
    ),
    (
        "slickgrid",
        "5.20.2",
        STATIC,
        {
            "dist/esm/index.mjs": "slickgrid.mjs",
            "dist/styles/css/slick.grid.css": "slick.grid.css",
            "LICENSE": "LICENSE",
        },
    ),
    ("sortablejs", "1.15.7", STATIC, {"Sortable.min.js": "sortable.min.js", "LICENSE": "LICENSE"}),
    (
        "@fontsource-variable/figtree",
        "5.3.0",
        STATIC,
        {
            "files/figtree-latin-wght-normal.woff2": "figtree-latin.woff2",
            "files/figtree-latin-ext-wght-normal.woff2": "figtree-latin-ext.woff2",
            "LICENSE": "LICENSE",
        },
    ),
    (
        "@fontsource-variable/jetbrains-mono",
        "5.3.0",
        STATIC,
        {"files/jetbrains-mono-latin-wght-normal.woff2": "jetbrains-mono-latin.woff2", "LICENSE": "LICENSE"},
    ),
    ("axe-core", "4.14.1", TESTS, {"axe.min.js": "axe.min.js", "LICENSE": "LICENSE"}),
]


def main() -> None:
    for name, version, target, files in PACKAGES:
        folder = target / name.split("/")[-1]
        shutil.rmtree(folder, ignore_errors=True)
        with tempfile.TemporaryDirectory() as scratch:
            subprocess.run(
                ["npm", "pack", f"{name}@{version}", "--pack-destination", scratch],
                check=True,
                capture_output=True,
            )
            archive = next(Path(scratch).glob("*.tgz"))
            shutil.unpack_archive(archive, scratch)
            for source, destination in files.items():
                to = folder / destination
                to.parent.mkdir(parents=True, exist_ok=True)
                shutil.copy(Path(scratch) / "package" / source, to)
        print(f"{name} {version}")


if __name__ == "__main__":
    main()
