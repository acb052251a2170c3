"""Whatever stands in the settings and in the table: a step gives a table or a Problem in words, and never fails."""

from __future__ import annotations

import random
from datetime import date, datetime, time, timedelta
from typing import Any

import polars as pl
import pytest

from tests import sources  # noqa: F401
from updraft.core import Engine, Files, Flow, Problem, Step
from updraft.core.formats.header import LONGEST_NAME
from updraft.core.formats.reading import read
from updraft.core.steps.registry import kinds

DAY = datetime(2026, 3, 1, 6)
TABLE = pl.DataFrame(
    {
        "text": ["a", "b", None, "c ", "1", "2"],
        "whole": [1, 2, None, 4, 5, 6],
        "number": [1.5, None, float("nan"), float("inf"), -2.0, 0.0],
        "yes": [True, False, None, True, True, False],
        "date": [date(2026, 1, 1), None, date(1, 1, 1), date(9999, 12, 31), date(2026, 2, 2), date(2026, 3, 3)],
        "at": [DAY, None, DAY, DAY, DAY, DAY],
        "zoned": pl.Series([DAY, None, DAY, DAY, DAY, DAY]).dt.replace_time_zone("Europe/Oslo"),
        "span": [timedelta(1), None, *[timedelta(seconds=5)] * 4],
        "clock": [time(5), None, *[time(6, 1)] * 4],
        "list": [["a", "b"], [], None, ["c"], ["a"], ["x"]],
        "lists": [[[1], [2]], [], None, [[3]], [[]], [[1]]],
        "record": [*[{"a": 1, "b": "x"}] * 5, None],
        "large": pl.Series([2**64 - 1, 0, None, 1, 2, 3], dtype=pl.UInt64),
        "larger": pl.Series([1, 2, None, 4, 5, 6], dtype=pl.Int128),
        "exact": pl.Series(["1.10", "2.20", None, "3", "4", "5"]).cast(pl.Decimal(10, 2)),
        "none": pl.Series([None] * 6, dtype=pl.Null),
        "": ["e", "f", "g", "h", "i", "j"],
    }
)
NUMBERS = [0, 1, 2, 3, -1, 5, 2**31, 2**63, 2**64, -(2**63) - 1, 10**30, 1e308, -0.5]
ODD = [
    *NUMBERS,
    "",
    "\0",
    "a" * 300,
    "%",
    "[",
    "(a",
    "\\1",
    "'",
    None,
    [],
    {},
    True,
    "nope",
    ["text", "text"],
    [10**30],
    "NaN",
]
WORDS = ["a", "1", "%", "", "a+(", "[a-z]+", "whole + 1", "sum(whole)", "2026-01-01", "YYYY-MM-DD", "\\1", "\0", str(10**30)]  # fmt: skip
TRIES = 40  # settings of each kind


def made(schema: dict, of: dict, pick: random.Random, deep: int = 0) -> Any:
    """Settings as a kind's schema has them, now and then with something that it has not."""
    if "$ref" in schema:
        return made(of[schema["$ref"].rpartition("/")[2]], of, pick, deep)
    if pick.random() < 0.03:
        return pick.choice(ODD)
    for some in ("anyOf", "oneOf"):
        if some in schema:
            return made(pick.choice(schema[some]), of, pick, deep)
    if "const" in schema or "enum" in schema:
        return pick.choice(schema.get("enum", [schema.get("const")]))
    match schema.get("type"):
        case "object":
            inner = schema.get("properties", {})
            chosen = [name for name in inner if pick.random() < 0.8 or name in schema.get("required", ())]
            return {name: made(inner[name], of, pick, deep + 1) for name in chosen}
        case "array":
            return [
                made(schema.get("items", {}), of, pick, deep + 1) for _ in range(pick.randint(0, 2) if deep < 7 else 0)
            ]
        case "boolean":
            return pick.random() < 0.5
        case "integer" | "number":
            return pick.choice(NUMBERS)
        case "string":
            return pick.choice(TABLE.columns) if pick.random() < 0.8 else pick.choice(WORDS)
    return pick.choice(ODD)


@pytest.mark.parametrize("kind", sorted(kind for kind in kinds() if kind != "test_source"))
def test_settings_and_tables_of_any_sort_give_a_table_or_a_problem(tmp_path, kind):
    TABLE.write_ipc(tmp_path / "a.arrow")
    TABLE.head(3).write_ipc(tmp_path / "b.arrow")
    files, engine, schema = Files(tmp_path), Engine(), kinds()[kind].Settings.model_json_schema()
    ports = {port.name: "b" if n else "a" for n, port in enumerate(kinds()[kind].inputs)}
    sides = tuple(Step(id=name, kind="test_source", settings={"path": f"{name}.arrow"}) for name in "ab")
    for number in range(TRIES):
        settings = made(schema, schema.get("$defs", {}), random.Random(f"{kind} {number}"))
        try:
            flow = Flow(steps=(*sides, Step(id="it", kind=kind, settings=settings, inputs=ports)))
            frames = engine.look(engine.plan(flow, files), "it", files).frames
            assert all(frame.height <= 10_000 for frame in frames.values())
        except (Problem, ValueError) as problem:
            assert isinstance(problem, Problem) or not isinstance(settings, dict), (settings, problem)


@pytest.mark.parametrize(
    ("kind", "settings"),
    [
        ("names_from_row", {"row": 2**64}),
        ("take_rows", {"by": "random", "count": 1, "seed": "1" + "0" * 30}),
        ("recode_values", {"column": "lists", "others": "empty"}),
        ("fill_gaps", {"columns": ["clock"], "by": "value", "value": "x"}),
        ("summarise", {"by": ["text"], "figures": [{"figure": "list", "column": "list"}]}),
        ("rename_columns", {"names": [{"old": "text", "new": "\0text"}]}),
    ],
)
def test_what_cannot_be_is_a_problem_of_its_setting(bench, kind, settings):
    with pytest.raises(Problem) as told:
        bench.apply(kind, settings, TABLE)
    assert told.value.code != "failed", told.value


def test_whatever_can_be_read_is_turned_and_listed(bench):
    for name in TABLE.columns:
        column = TABLE.select(name)
        listed = bench.rows("list_columns", {}, column)
        assert [line["Column"] for line in listed] == [name]
        turned = bench.apply("transpose", {}, column).frames[""]
        assert turned.width == 1 + column.height and turned.height == 1
    largest = bench.rows("transpose", {}, TABLE.select("large"))
    assert largest[0]["Row 1"] == 2**64 - 1, "a number keeps its digits"


def test_names_that_nobody_can_type_come_in_as_others_and_are_told(tmp_path):
    odd = {"\0row": [3, 1, 2], "row": [1, 2, 3], "x" * 100_000: [4, 5, 6], "Lot\u202e": [7, 8, 9]}
    pl.DataFrame(odd).write_parquet(tmp_path / "odd.parquet")
    pl.DataFrame(odd).rename({"\0row": "row (2)"}).write_csv(tmp_path / "odd.csv")
    for name in ("odd.parquet", "odd.csv"):
        reading = read(tmp_path / name)
        assert reading.frame.columns == ["row (2)", "row", "x" * (LONGEST_NAME - 1) + "…", "Lot"], name
        assert any("very long" in said for said in reading.warnings), reading.warnings
    files, engine = Files(tmp_path), Engine()
    steps = (
        Step(id="in", kind="read_file", settings={"path": "odd.parquet"}),
        Step(id="it", kind="sort_rows", settings={"order": [{"column": "row (2)"}]}, inputs={"table": "in"}),
    )
    table = engine.look(engine.plan(Flow(steps=steps), files), "it", files).frames[""]
    assert table["row (2)"].to_list() == [1, 2, 3] and table["row"].to_list() == [2, 3, 1]
