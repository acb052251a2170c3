"""Stack against plain Python: rows below each other, columns by name or by place."""

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import sources  # noqa: F401
from updraft.core import Engine, Files, Flow, Problem, Step
from updraft.core.engine.table import compute
from updraft.core.flow.edits import AddStep, ConnectInput, RemoveStep
from updraft.core.steps import SHAPES, Incoming, Tables, kinds

CELLS = {"Lot": st.sampled_from(["a", "b"]), "Hub": st.sampled_from(["Fen", "Dale"]), "Grams": st.integers(0, 9)}
CELLS["Tested"] = st.booleans()


@st.composite
def tables(draw):
    """A table of some of the columns, in any order, as names and rows."""
    names = draw(st.lists(st.sampled_from(sorted(CELLS)), min_size=1, unique=True))
    return names, draw(st.lists(st.tuples(*(st.none() | CELLS[name] for name in names)), max_size=4))


def frame(names, rows) -> pl.DataFrame:
    types = {"Lot": pl.String, "Hub": pl.String, "Grams": pl.Int64, "Tested": pl.Boolean}
    return pl.DataFrame(rows, schema={name: types[name] for name in names}, orient="row")


def stack(frames, labels=None, **settings):
    kind = kinds()["stack"]
    labels = labels or [f"t{n}" for n in range(len(frames))]
    arrived = [Incoming(table.lazy(), label) for table, label in zip(frames, labels, strict=True)]
    return compute(kind, kind.Settings(**settings), Tables({"tables": arrived}, "tables"), None)


@given(st.lists(tables(), min_size=1, max_size=4), st.sampled_from(["all", "shared", "first"]))
def test_rows_stand_below_each_other_as_plain_python_puts_them(given, columns):
    everything = list(dict.fromkeys(name for names, _ in given for name in names))
    kept = {
        "all": everything,
        "first": given[0][0],
        "shared": [name for name in everything if all(name in names for names, _ in given)],
    }[columns]
    expected = [
        {"Table": f"t{n}", **{name: dict(zip(names, row, strict=True)).get(name) for name in kept}}
        for n, (names, rows) in enumerate(given)
        for row in rows
    ]
    if not kept:
        with pytest.raises(Problem, match="no column is in all of them"):
            stack([frame(*one) for one in given], columns=columns)
        return
    done = stack([frame(*one) for one in given], columns=columns)
    assert done.lazy().collect().to_dicts() == expected
    assert done.rows_in == done.height == len(expected)
    assert bool(done.warnings) == any(set(names) != set(given[0][0]) for names, _ in given[1:])


@given(st.lists(tables(), min_size=2, max_size=3))
def test_by_place_values_keep_their_column_number(given):
    frames = [frame(*one).cast(pl.String) for one in given]
    done = stack(frames, by="place", source="").lazy().collect()
    assert done.columns[: frames[0].width] == frames[0].columns
    wide = max(table.width for table in frames)
    expected = [tuple(row) + (None,) * (wide - table.width) for table in frames for row in table.rows()]
    numbered = [len(set(done.columns)) == done.width]
    # Columns beyond the first table's keep their names, so two tables' may stand beside each other.
    first = frames[0].width
    assert numbered == [True] and [row[:first] for row in done.rows()] == [row[:first] for row in expected]


def test_types_meet_names_are_told_apart_and_differences_are_said():
    day, time = pl.Series("Day", ["2026-03-01"]).str.to_date(), pl.Series("Day", ["2026-03-02 08:00"]).str.to_datetime()
    a = pl.DataFrame({"Grams": [1], "Lot": ["x"], "Table": [1], "Tested": [True]}).with_columns(day)
    b = pl.DataFrame({"Grams": [1.5], "Lot": [7], "Table": [2], "Tested": ["no"]}).with_columns(time)
    done = stack([a, b], ["Fen", "Fen"])
    assert done.schema() == {
        "Table 2": pl.String, "Grams": pl.Float64, "Lot": pl.String, "Table": pl.Int64, "Tested": pl.String,
        "Day": pl.Datetime("us"),
    }  # fmt: skip
    assert done.lazy().collect()["Table 2"].to_list() == ["Fen", "Fen 2"]
    said = " ".join(done.warnings)
    assert "“Grams” holds several types; all of it is numbers" in said and "“Lot” holds several types" in said
    assert "Day” holds several types; all of it is times" in said
    with pytest.raises(Problem, match="their columns differ: Table “t1”: column “Lot” is gone"):
        stack([a, b.drop("Lot")], columns="stop")
    with pytest.raises(Problem, match="lists or records in one table"):
        stack([a, b.with_columns(pl.lit([[1]]).alias("Lot"))])


def flow_of(*wires) -> Flow:
    reads = [Step(id=name, kind="test_source", settings={"path": f"{name}.arrow"}) for name in ("fen", "dale", "moor")]
    return Flow(steps=(*reads, *(Step(id=i, kind=k, inputs=w) for i, k, w in wires)))


def test_many_tables_come_in_at_one_port_in_their_order_and_edits_keep_it(tmp_path):
    for name in ("fen", "dale", "moor"):
        pl.DataFrame({"Hub": [name]}).write_ipc(tmp_path / f"{name}.arrow")
    flow = flow_of(("tidy", "tidy_text", {"table": "dale"}), ("all", "stack", {"tables": ["fen", "tidy", "moor"]}))
    files, engine = Files(tmp_path), Engine()

    def hubs(flow, step="all"):
        return engine.look(engine.plan(flow, files), step, files).lazy().collect()["Hub"].to_list()

    assert hubs(flow) == ["fen", "dale", "moor"]
    turned = ConnectInput(id="all", port="tables", source=("moor", "fen")).apply(flow, SHAPES)
    assert hubs(turned) == ["moor", "fen"], "the order is part of what it says"
    closed = RemoveStep(id="tidy").apply(flow, SHAPES)
    assert closed.step("all").inputs == {"tables": ("fen", "dale", "moor")}
    doubled = RemoveStep(id="moor").apply(flow, SHAPES)
    assert hubs(doubled) == ["fen", "dale"], "a table that is gone is taken out of the list"
    renamed = flow.model_copy(
        update={"steps": tuple(s.model_copy(update={"name": "X"}) if s.id == "fen" else s for s in flow.steps)}
    )
    names = engine.look(engine.plan(renamed, files), "all", files).lazy().collect()["Table"].to_list()
    assert names[0] == "X", "a table is named by its step, so a new name makes another table"
    fresh = AddStep(step=Step(id="new", kind="stack"), after="tidy", plug=True).apply(flow_of(*[
        ("tidy", "tidy_text", {"table": "dale"})]), SHAPES)  # fmt: skip
    assert fresh.step("new").inputs == {"tables": ("tidy", "moor")}
    with pytest.raises(Problem, match="several tables come in at “Table”"):
        hubs(flow_of(("all", "tidy_text", {"table": ["fen", "dale"]})))


def written(name: str, way: int) -> str:
    return [name, name.upper(), f" {name.lower()} ", f"{name}.", name.replace("o", "ö")][way]


@given(st.lists(tables(), min_size=1, max_size=4), st.data())
def test_columns_whose_names_are_written_differently_meet(given, data):
    frames = [frame(names, rows) for names, rows in given]
    way = st.integers(0, 4)
    spelt = [
        table.rename({name: written(name, data.draw(way)) for name in table.columns} if n else {})
        for n, table in enumerate(frames)
    ]
    plain, alike = stack(frames), stack(spelt, by="tidied")
    first = set(frames[0].columns)
    assert alike.lazy().collect().width == plain.lazy().collect().width
    shown = alike.lazy().collect()
    assert shown.rows() == plain.lazy().collect().rows() and first <= set(shown.columns)


def test_two_columns_of_a_table_never_become_one():
    first = pl.DataFrame({"Lot no": ["a"]})
    second = pl.DataFrame({"lot no": ["b"], "LOT-NO": ["c"], "Lot no": ["d"]})
    assert stack([first, second], by="tidied", source="").lazy().collect().rows() == [
        ("a", None, None), ("d", "b", "c")
    ]  # fmt: skip


def test_names_of_signs_alone_stay_apart():
    tables = [pl.DataFrame({"%": [1]}), pl.DataFrame({"#": [2]})]
    assert stack(tables, by="tidied", source="").lazy().collect().columns == ["%", "#"]
