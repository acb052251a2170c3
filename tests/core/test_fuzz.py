"""Damaged files of every format: each is read, or refused in words. `make fuzz` tries 10,000 of each, `make test` a few.

Of xls, xlsb, ods, Parquet and Arrow, which are read in a process of their own, a tenth as many.
"""

import gzip
import io
import json
import os
import sqlite3
import zipfile
from pathlib import Path

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.books import write_xlsb
from updraft.core import Problem
from updraft.core.formats import ReadOptions, apart, read
from updraft.core.formats.raw import raw
from updraft.core.values import decide

CASES = int(os.environ.get("UPDRAFT_FUZZ", "30"))
FIXTURES = Path(__file__).parents[1] / "fixtures"
ROWS = [
    ["Lot", "Hub", "Grams", "Sown"],
    *([f"L{n}", "North Fen", str(n / 4), f"2026-03-{n:02d}"] for n in range(1, 20)),
]
TABLE = pl.DataFrame(ROWS[1:], schema=ROWS[0], orient="row")
RECORDS = [
    {"lot": row[0], "at": {"hub": row[1]}, "lines": [{"grams": n}, {"grams": None}]} for n, row in enumerate(ROWS[1:])
]
APART = {"xls", "xlsb", "ods", "parquet", "arrow"}
PACKED = {"xlsx", "xlsb", "ods", "zip"}  # parts of which are damaged, and packed well again


def seeds(folder: Path) -> dict[str, bytes]:
    """A small sound file of every format, by its ending."""

    def kept(name: str, write) -> bytes:
        write(folder / name)
        return (folder / name).read_bytes()

    def sqlite(path: Path) -> None:
        path.unlink(missing_ok=True)
        with sqlite3.connect(path) as db:
            db.execute("create table lots (lot, hub, grams, sown)")
            db.executemany("insert into lots values (?, ?, ?, ?)", ROWS[1:])
        db.close()

    lines = "\n".join(map(json.dumps, RECORDS))
    text = "\n".join(",".join(row) for row in ROWS)
    quoted = 'Lot;Note\nL1;"sown; late"\nL2;"a ""good"" lot\nof two lines"\nL3;\n' * 3
    xml = "".join(f'<lot id="{r["lot"]}"><hub>{r["at"]["hub"]}</hub><g>1</g><g>2</g>&amp; more</lot>' for r in RECORDS)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("lots.csv", text)
        archive.writestr("more.json", lines)
    return {
        "csv": text.encode(),
        "txt": quoted.encode("cp1252"),
        "tsv": text.replace(",", "\t").encode("utf-16"),
        "fixed.txt": "\n".join("".join(cell.ljust(14) for cell in row) for row in ROWS).encode(),
        "json": json.dumps({"lots": RECORDS}, indent=1).encode(),
        "jsonl": lines.encode(),
        "xml": f'<?xml version="1.0"?><lots xmlns="urn:a" xmlns:b="urn:b">{xml}</lots>'.encode(),
        "xlsx": (FIXTURES / "lots.xlsx").read_bytes(),
        "xls": (FIXTURES / "lots.xls").read_bytes(),
        "ods": (FIXTURES / "lots.ods").read_bytes(),
        "xlsb": kept("s.xlsb", lambda path: write_xlsb(path, "Lots", [[*row[:2], 5.0] for row in ROWS])),
        "parquet": kept("s.parquet", TABLE.write_parquet),
        "arrow": kept("s.arrow", TABLE.write_ipc),
        "sqlite": kept("s.sqlite", sqlite),
        "zip": packed.getvalue(),
        "gz": gzip.compress(text.encode()),
    }


@pytest.fixture(scope="module")
def sound(tmp_path_factory) -> dict[str, bytes]:
    return seeds(tmp_path_factory.mktemp("seeds"))


DAMAGE = st.lists(
    st.tuples(
        st.sampled_from(["put", "flip", "cut", "drop", "repeat", "swap"]),
        st.floats(0, 1, exclude_max=True),
        st.floats(0, 1, exclude_max=True),
        st.one_of(st.binary(min_size=1, max_size=6), st.sampled_from([b"\0", b'"', b"\xff" * 8, b"[" * 40, b"<a>", b"&x;", b"\r", b"=", b"-1"])),
    ),
    min_size=1,
    max_size=5,
)  # fmt: skip


def damaged(data: bytes, damage) -> bytes:
    for way, at, to, sign in damage:
        start, end = sorted((int(at * len(data)), int(to * len(data))))
        match way:
            case "put":
                data = data[:start] + sign + data[start:]
            case "flip":
                data = data[:start] + sign + data[start + len(sign) :]
            case "cut":
                data = data[:start]
            case "drop":
                data = data[:start] + data[min(end, start + 40) :]
            case "repeat":
                data = data[:end] + data[start:end] * 2 + data[end:]
            case "swap":
                data = data[end:] + data[:start]
    return data


def packed_again(data: bytes, damage, which: float) -> bytes:
    """An archive one of whose parts is damaged."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as archive, zipfile.ZipFile(out, "w") as into:
        names = archive.namelist()
        for n, name in enumerate(names):
            part = archive.read(name)
            into.writestr(name, damaged(part, damage) if n == int(which * len(names)) else part)
    return out.getvalue()


OPTIONS = st.sampled_from([
    ReadOptions(), ReadOptions(), ReadOptions(), ReadOptions(header="first", header_lines=2, skip=1), ReadOptions(lists="expand", number=True),
    ReadOptions(long=True), ReadOptions(ragged="leave_out", drop_empty=True), ReadOptions(sheets=("*",)), ReadOptions(merged="fill"),
])  # fmt: skip


@pytest.mark.parametrize("ending", ["csv", "txt", "tsv", "fixed.txt", "json", "jsonl", "xml", "xlsx", "xls", "ods", "xlsb", "parquet", "arrow", "sqlite", "zip", "gz"])  # fmt: skip
def test_a_damaged_file_is_read_or_refused_in_words(ending, sound, tmp_path_factory, monkeypatch):
    monkeypatch.setattr(apart, "_SECONDS", 4.0)
    path = tmp_path_factory.mktemp("fuzz") / f"lots.{ending}"

    @settings(
        max_examples=CASES // 10 if ending in APART else CASES, deadline=None, suppress_health_check=list(HealthCheck)
    )
    @given(damage=DAMAGE, which=st.floats(0, 1, exclude_max=True), inside=st.booleans(), options=OPTIONS)
    def law(damage, which, inside, options):
        data = sound[ending]
        path.write_bytes(packed_again(data, damage, which) if ending in PACKED and inside else damaged(data, damage))
        try:
            found = read(path, options)
            raw(path, found.detected)
        except Problem as problem:
            assert path.name.split(".")[0] in str(problem) or problem.field or problem.code
            assert len(str(problem)) < 600
            return
        decided, decisions = decide(found.frame)
        assert decided.height == found.frame.height and len(decisions) == found.frame.width
        assert len(set(found.frame.columns)) == found.frame.width

    path.write_bytes(sound[ending])
    assert read(path).frame.height >= 3, "the sound file is read"
    law()
