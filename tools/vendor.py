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
REPORT = ROOT / "src/updraft/core/report/fonts"  # one file a weight, for PDFs

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
        "@fontsource/figtree",
        "5.3.0",
        REPORT,
        {
            **{
                f"files/figtree-{name}-{weight}-normal.woff2": f"figtree-{name}-{weight}.woff2"
                for name in ("latin", "latin-ext")
                for weight in (400, 700)
            },
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

# The editor of formulas comes in many small modules: they are put together into one file. The licence of all
# of them is the same.
EDITOR = {
    "state": "6.7.6",
    "view": "6.43.15",
    "autocomplete": "6.20.4",
    "commands": "6.11.1",
    "language": "6.13.1",
}
BUNDLER = "esbuild@0.28.2"
ENTRY = """
export { EditorState, StateEffect, StateField } from "@codemirror/state";
export { Decoration, EditorView, ViewPlugin, keymap, placeholder } from "@codemirror/view";
export { autocompletion, closeBrackets, closeBracketsKeymap, completionKeymap } from "@codemirror/autocomplete";
export { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
export { bracketMatching } from "@codemirror/language";
"""


def editor() -> None:
    """Put the modules of the editor into one file."""
    folder = STATIC / "codemirror"
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as scratch:
        here = Path(scratch)
        (here / "entry.js").write_text(ENTRY)
        (here / "package.json").write_text("{}")
        wanted = [f"@codemirror/{name}@{version}" for name, version in EDITOR.items()]
        subprocess.run(["npm", "install", "--silent", *wanted, BUNDLER], cwd=here, check=True)
        subprocess.run(["node", "node_modules/esbuild/install.js"], cwd=here, check=True)
        subprocess.run(
            ["node_modules/.bin/esbuild", "entry.js", "--bundle", "--format=esm", "--minify",
             f"--outfile={folder / 'codemirror.js'}"],
            cwd=here, check=True, capture_output=True,
        )  # fmt: skip
        shutil.copy(here / "node_modules/@codemirror/state/LICENSE", folder / "LICENSE")
    print(f"codemirror {EDITOR['view']}")


def main() -> None:
    editor()
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
