"""Real files with their right answers: how many open with nothing wrong, and how many types are right.

`python bench/real_files.py work`, `apart`, `second` or `third` measures on the files looked at while working on the
reader, on the third of them kept apart, or on one of two later samples from other packages. `make bench-files` fetches them first.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import pandas
import polars as pl

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.real_files import known, ours, wrong

from updraft.core import Problem


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


READERS: dict[str, Callable[[Path], tuple]] = {"Updraft": ours, "pandas": with_pandas, "Polars": with_polars}


def measure(reader: Callable[[Path], tuple], part: str, *, tell: bool = False) -> tuple[int, int, int, int]:
    """Files, those with nothing wrong, columns of files read in the right shape, and types that are right."""
    files = clean = columns = right = 0
    for answer, path in known(part):
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


def rows_of_the_page() -> tuple[str, int]:
    """The rows of the table in docs/performance.md, and how many packages the files are from."""
    titles = {
        "work": "looked at while working",
        "apart": "kept apart",
        "second": "second sample",
        "third": "third sample",
    }
    rows = []
    for part, title in titles.items():
        for name, reader in READERS.items():
            files, clean, columns, right = measure(reader, part)
            rows.append(
                f"| {title if name == 'Updraft' else ''} | {name} | {clean} of {files} ({clean / files:.1%}) | "
                f"{right:,} of {columns:,} ({right / columns:.1%}) |"
            )
    return "\n".join(rows), len({answer["package"] for answer, _ in known()})


def main(part: str) -> None:
    for title, reader in READERS.items():
        files, clean, columns, right = measure(reader, part, tell=reader is ours)
        print(
            f"{title}: {clean} of {files} files with nothing wrong ({clean / files:.1%}); "
            f"{right} of {columns} types right ({right / max(columns, 1):.1%})"
        )


if __name__ == "__main__":
    for part in sys.argv[1:]:
        print(f"{part}:")
        main(part)
