"""A rename carried on: steps behind it give what they gave, under the new name."""

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import sources  # noqa: F401
from tests.steps import ROWS, STEPS
from updraft.core import Engine, Files, Flow, Problem, Step
from updraft.core.engine import carried
from updraft.core.formula import with_names, written

FRESH = "new name, (1)"


def flow_of(name: str, steps) -> Flow:
    """A file, a column made of another under a name, and steps in a row behind it."""
    made = {"columns": [{"name": name, "formula": "a0"}]}
    chain = [
        Step(id="file", kind="test_source", settings={"path": "t.arrow"}),
        Step(id="made", kind="calculate", settings=made, inputs={"table": "file"}),
    ]
    for n, (kind, chosen) in enumerate(steps):
        chain.append(Step(id=f"s{n}", kind=kind, settings=chosen, inputs={"table": chain[-1].id}))
    return Flow(steps=tuple(chain))


def tables(engine, flow, files) -> dict:
    planned, found = engine.plan(flow, files), {}
    for step in flow.steps:
        try:
            found[step.id] = engine.look(planned, step.id, files)
        except Problem as problem:
            found[step.id] = problem.code
            break
    return found


def carry(folder, before: Flow, after: Flow) -> tuple[dict, Flow]:
    """The tables before, and the flow after with what was carried on."""
    engine, files = Engine(), Files(folder)
    was = tables(engine, before, files)
    now = engine.plan(after, files)
    made = engine.look(now, "made", files)
    known = {step: {out: t.schema(out) for out in t.frames} for step, t in was.items() if not isinstance(t, str)}
    found = carried(now, "made", was["made"].schema(), known | {"made": {"": made.schema()}})
    mended = tuple(
        s.model_copy(update={"settings": found.settings[s.id]}) if s.id in found.settings else s for s in after.steps
    )
    return was, after.model_copy(update={"steps": mended})


@settings(max_examples=120)
@given(ROWS, st.lists(STEPS, min_size=1, max_size=4))
def test_steps_behind_a_rename_give_what_they_gave(tmp_path_factory, rows, steps):
    folder = tmp_path_factory.mktemp("renames")
    schema = {"a0": pl.String, "b": pl.String, "c": pl.String, "n": pl.Int64}
    pl.DataFrame(rows, schema=schema, orient="row").write_ipc(folder / "t.arrow")
    was, mended = carry(folder, flow_of("a", steps), flow_of(FRESH, steps))
    now = tables(Engine(), mended, Files(folder))
    assert list(now) == list(was)
    for step, table in was.items():
        if isinstance(table, str):
            assert now[step] == table
            continue
        frame, mine = table.frames[""].lazy().collect(), now[step].frames[""].lazy().collect()
        assert [list(row) for row in mine.rows()] == [list(row) for row in frame.rows()], step
        assert [FRESH if name == "a" else name.replace(" a", f" {FRESH}") for name in frame.columns] == mine.columns


@pytest.mark.parametrize(
    ("kind", "chosen", "becomes"),
    [
        ("calculate", {"columns": [{"name": "d", "formula": "a + `a` + upper(a) + a_b"}]},
         {"columns": [{"name": "d", "formula": "`New one` + `New one` + upper(`New one`) + a_b"}]}),
        ("send_mail", {"subject": "for {a} and {b}", "by": ["a"]}, {"subject": "for {New one} and {b}", "by": ["New one"]}),
        ("choose_columns", {"columns": [{"column": "b", "name": "a"}], "drop": ["a"]},
         {"columns": [{"column": "b", "name": "a"}], "drop": ["New one"]}),
        ("rename_columns", {"by": "typed", "pairs": [{"old": "a", "new": "x"}]},
         {"by": "typed", "pairs": [{"old": "New one", "new": "x"}]}),
        ("recode_values", {"column": "a", "changes": [{"old": "a", "new": "z"}]},
         {"column": "New one", "changes": [{"old": "a", "new": "z"}]}),
        ("apply_rules", {"column": "c", "rules": [{"when": {"of": [{"column": "a", "test": "equals", "value": "a"}]}, "then": "a"}]},
         {"column": "c", "rules": [{"when": {"of": [{"column": "New one", "test": "equals", "value": "a"}]}, "then": "a"}]}),
        ("summarise", {"by": ["b"], "figures": [{"figure": "sum", "column": "a", "name": ""}]},
         {"by": ["b"], "figures": [{"figure": "sum", "column": "New one", "name": ""}]}),
    ],
)  # fmt: skip
def test_only_what_names_the_column_changes(kind, chosen, becomes):
    from updraft.core.steps import kinds
    from updraft.core.steps.renaming import renamed

    assert renamed(kinds()[kind], chosen, {"table": {"a": "New one"}}) == becomes


def test_the_columns_of_the_other_table_are_its_own():
    from updraft.core.steps import kinds
    from updraft.core.steps.renaming import renamed

    chosen = {"keys": [{"column": "id", "reference": "id"}], "bring": [{"column": "id", "name": ""}]}
    look_up = kinds()["look_up"]
    assert renamed(look_up, chosen, {"table": {"id": "key"}}) == {
        **chosen,
        "keys": [{"column": "key", "reference": "id"}],
    }
    assert renamed(look_up, chosen, {"reference": {"id": "key"}}) == {
        "keys": [{"column": "id", "reference": "key"}],
        "bring": [{"column": "key", "name": ""}],
    }


@given(st.text(min_size=1, max_size=8), st.text(min_size=1, max_size=8))
def test_a_name_in_a_formula_is_found_wherever_it_stands(old, new):
    before = f"'é {old}' + {written(old)}\n+ upper({written(old)})"
    if "`" not in before and "'" not in old and "\\" not in old + new and not {"\n", "\r"} & set(old):
        literal = before.split(" + ")[0]
        assert with_names(before, {old: new}) == f"{literal} + {written(new)}\n+ upper({written(new)})"
