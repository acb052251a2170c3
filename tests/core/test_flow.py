"""Flows as data: edits, order, layout and the file format."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Flow, Problem, Step, dump, load
from updraft.core.flow import schema
from updraft.core.flow.edits import EDIT, AddStep, CopyStep, MoveStep, RemoveStep, SetSettings, SwitchStep
from updraft.core.flow.layout import course
from updraft.core.flow.order import cycles, downstream, drawing_order
from updraft.core.steps import SHAPES, kinds
from updraft.demo import march_report


def chain(*ids: str) -> Flow:
    """A flow of steps each taking the one before it."""
    return Flow(
        steps=tuple(
            Step(id=i, kind="tidy_text", inputs={"table": before} if before else {})
            for before, i in zip((None, *ids), ids, strict=False)
        )
    )


def wires(flow: Flow) -> dict[str, dict[str, str]]:
    return {step.id: step.inputs for step in flow.steps}


def test_inserting_a_step_hands_the_takers_over_and_branching_does_not():
    new = Step(id="new", kind="keep_rows")
    inserted = AddStep(step=new, after="a").apply(chain("a", "b"), SHAPES)
    assert wires(inserted) == {"a": {}, "new": {"table": "a"}, "b": {"table": "new"}}
    branched = AddStep(step=new, after="a", insert=False).apply(chain("a", "b"), SHAPES)
    assert wires(branched)["b"] == {"table": "a"} and wires(branched)["new"] == {"table": "a"}


def test_a_step_on_a_side_output_leaves_the_main_line_alone():
    new = AddStep(step=Step(id="new", kind="keep_rows"), after="b.unmatched").apply(chain("a", "b", "c"), SHAPES)
    assert wires(new)["c"] == {"table": "b"} and wires(new)["new"] == {"table": "b.unmatched"}


def test_removing_a_step_closes_the_line_and_unplugs_its_side_outputs():
    flow = AddStep(step=Step(id="odd", kind="keep_rows"), after="b.unmatched").apply(chain("a", "b", "c"), SHAPES)
    assert wires(RemoveStep(id="b").apply(flow, SHAPES)) == {"a": {}, "odd": {}, "c": {"table": "a"}}


def test_moving_a_step_keeps_the_takers_of_its_side_outputs():
    flow = AddStep(step=Step(id="odd", kind="keep_rows"), after="b.unmatched").apply(chain("a", "b", "c"), SHAPES)
    moved = MoveStep(id="b", after="c").apply(flow, SHAPES)
    assert wires(moved) == {"a": {}, "c": {"table": "a"}, "b": {"table": "c"}, "odd": {"table": "b.unmatched"}}


def test_a_source_cannot_stand_behind_a_step():
    with pytest.raises(Problem, match="takes no table"):
        MoveStep(id="a", after="b").apply(chain("a", "b"), SHAPES)


def test_edits_never_change_the_flow_they_are_given():
    flow = march_report()
    before = dump(flow)
    for edit in (
        RemoveStep(id="tidy"),
        MoveStep(id="tidy", after="kinds"),
        CopyStep(id="look_up"),
        SwitchStep(id="tidy", enabled=False),
    ):
        assert dump(edit.apply(flow, SHAPES)) != before
        assert edit.sentence(flow)
    assert dump(flow) == before


IDS = ["a", "b", "c", "d", "e"]
EDITS = st.lists(
    st.one_of(
        st.builds(RemoveStep, id=st.sampled_from(IDS)),
        st.builds(MoveStep, id=st.sampled_from(IDS), after=st.sampled_from(IDS)),
        st.builds(CopyStep, id=st.sampled_from(IDS)),
        st.builds(
            lambda i, n: AddStep(step=Step(id=f"n{n}", kind="keep_rows"), after=i),
            st.sampled_from(IDS),
            st.integers(0, 9),
        ),
    ),
    max_size=12,
)


@given(EDITS)
def test_whatever_is_edited_no_circle_and_no_dangling_input_appears(edits):
    flow = chain(*IDS)
    for edit in edits:
        try:
            flow = edit.apply(flow, SHAPES)
        except Problem:
            continue
    assert not cycles(flow)
    ids = {step.id for step in flow.steps}
    assert all(ref.step in ids for step in flow.steps for ref in step.refs())
    assert load(dump(flow)) == flow
    order = drawing_order(flow)
    assert sorted(order) == sorted(ids)
    assert all(order.index(ref.step) < order.index(step.id) for step in flow.steps for ref in step.refs())


@given(st.lists(st.tuples(st.integers(0, 40), st.integers(0, 40)), max_size=60))
def test_the_course_draws_any_flow_without_a_line_through_a_foreign_stop(pairs):
    flow = Flow(
        steps=tuple(
            Step(
                id=f"s{n}",
                kind="look_up",
                inputs={
                    port: f"s{min(a, b)}"
                    for port, (a, b) in zip(("table", "reference"), [p for p in pairs if max(p) == n], strict=False)
                    if min(a, b) < n
                },
            )
            for n in range(41)
        )
    )
    laid = course(flow)
    stops = {stop.id: stop for stop in laid.stops}
    assert len({stop.row for stop in laid.stops}) == len(flow.steps)
    for link in laid.links:
        source, target = stops[link.source], stops[link.target]
        assert source.row < target.row
        between = [s for s in laid.stops if source.row < s.row < target.row and s.lane == source.lane]
        if link.main:
            assert not [s for s in between if s.id not in downstream(flow, link.source)]
        else:
            assert not between or all(
                link.source in downstream(flow, x.id) or x.id in downstream(flow, link.source) for x in between
            )


def test_the_march_flow_has_its_reference_lane_just_above_the_look_up():
    laid = course(march_report())
    rows = {stop.id: (stop.row, stop.lane) for stop in laid.stops}
    assert laid.lanes == 2
    assert rows["look_up"] == (rows["recode_hub"][0] + 1, 0) and rows["growers"][1] == 1


def test_a_circle_is_found_and_the_flow_still_loads_and_draws():
    text = json.dumps(
        {
            "updraft": 1,
            "name": "x",
            "steps": [
                {"id": "a", "kind": "keep_rows", "inputs": {"table": "b"}},
                {"id": "b", "kind": "keep_rows", "inputs": {"table": "a"}},
                {"id": "c", "kind": "keep_rows", "inputs": {"table": "a"}},
            ],
        }
    )
    flow = load(text)
    assert cycles(flow) == {"a", "b"}
    assert len(course(flow).stops) == 3


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("not json", "not readable as JSON"),
        ("[]", "not a flow"),
        ('{"updraft": 99, "name": "x"}', "reads up to format 6"),
        ('{"updraft": "1"}', "not a version number"),
        ('{"updraft": 1, "steps": [{"id": "A b", "kind": "x"}]}', "steps → 0 → id"),
        ('{"updraft": 1, "steps": [{"id": "a", "kind": "x"}, {"id": "a", "kind": "x"}]}', "stands there twice"),
        ('{"updraft": 1, "colour": "red"}', "colour"),
    ],
)
def test_a_file_that_is_no_flow_says_why(text, said):
    with pytest.raises(Problem, match=said):
        load(text)


def test_the_published_schema_is_current_and_fits_a_flow_file():
    from pathlib import Path

    import jsonschema

    published = json.loads((Path(__file__).parents[2] / "docs/flow.schema.json").read_text())
    assert published == schema(), "run `make docs`"
    jsonschema.validate(json.loads(dump(march_report())), published)


def test_edits_come_as_data():
    edit = EDIT.validate_python({"op": "switch", "id": "a", "enabled": False})
    assert edit.apply(chain("a"), SHAPES).step("a").enabled is False


def test_steps_of_an_older_file_get_the_names_and_settings_of_today():
    old = {
        "updraft": 2,
        "steps": [
            {"id": "r", "kind": "read_file", "settings": {"path": "lots.csv", "kinds": "text"}},
            {"id": "a", "kind": "set_kinds", "inputs": {"table": "r"},
             "settings": {"columns": [{"column": "sown", "kind": "date", "formats": ["D/M/YY"]}]}},
            {"id": "b", "kind": "tidy_text", "inputs": {"table": "a"}, "settings": {"columns": {"by": "kinds", "kinds": ["text"]}}},
            {"id": "c", "kind": "settle_groups", "inputs": {"table": "b"}, "settings": {}},
        ],
        "blocks": {"again": {"steps": [{"id": "x", "kind": "set_kinds", "settings": {"columns": [{"column": "n", "kind": "whole"}]}}]}},
    }  # fmt: skip
    flow = load(json.dumps(old))
    assert [step.kind for step in flow.steps] == ["read_file", "set_types", "tidy_text", "one_value_per_group"]
    assert flow.steps[0].settings == {"path": "lots.csv", "types": "text"}
    assert flow.steps[1].settings["columns"] == [{"column": "sown", "formats": ["D/M/YY"], "type": "date"}]
    assert flow.steps[2].settings["columns"] == {"by": "types", "types": ["text"]}
    inner = flow.blocks["again"].steps[0]
    assert (inner.kind, inner.settings) == ("set_types", {"columns": [{"column": "n", "type": "whole"}]})
    for step in (*flow.steps[:3], inner):
        kinds()[step.kind].Settings.model_validate(step.settings)
    assert load(dump(flow)) == flow
    for odd in (
        {"steps": None},
        {"steps": "x"},
        {"blocks": 5},
        {"steps": [{"kind": "set_kinds", "settings": {"columns": 3}}]},
    ):
        with pytest.raises(Problem):
            load(json.dumps({"updraft": 2, **odd}))


def test_older_look_alikes_are_not_looked_for_by_their_words():
    step = '{"id": "a", "kind": "merge_look_alikes", "settings": {"column": "Hub"%s}}'
    for version, said, words in ((4, "", False), (4, ', "words": true', True), (5, "", None)):
        text = f'{{"updraft": {version}, "steps": [{step % said}]}}'
        assert load(text).steps[0].settings.get("words") is words


def test_findings_that_were_put_away_in_an_older_file_stay_away():
    old = '{"updraft": 1, "steps": [{"id": "a", "kind": "x"}], "dismissed": [{"step": "a", "finding": "%s:Grams"}]}'
    assert [load(old % code).dismissed[0].finding for code in ("stand_ins", "zeros")] == [
        "placeholders:Grams",
        "zeros:Grams",
    ]


def test_a_new_step_takes_open_lanes_only_at_the_ports_that_its_settings_have():
    lanes = (Step(id="a", kind="type_in_a_table"), Step(id="b", kind="type_in_a_table"))
    for settings, inputs in (({}, {"table": "b"}), ({"by": "table"}, {"table": "b", "list": "a"})):
        step = Step(id="it", kind="recode_values", settings=settings)
        edited = AddStep(step=step, after="b", plug=True).apply(Flow(steps=lanes), SHAPES)
        assert dict(edited.step("it").inputs) == inputs


def test_a_port_that_settings_bring_takes_an_open_lane_but_nothing_behind_the_step():
    steps = (
        Step(id="a", kind="type_in_a_table"),
        Step(id="it", kind="recode_values", settings={"column": "x"}, inputs={"table": "a"}),
        Step(id="end", kind="tidy_text", inputs={"table": "it"}),
    )
    change = SetSettings(id="it", settings={"column": "x", "by": "table"})
    assert dict(change.apply(Flow(steps=steps), SHAPES).step("it").inputs) == {"table": "a"}
    flow = Flow(steps=(*steps, Step(id="list", kind="type_in_a_table")))
    assert dict(change.apply(flow, SHAPES).step("it").inputs) == {"table": "a", "list": "list"}
    again = SetSettings(id="it", settings={"column": "y", "by": "table"}).apply(flow, SHAPES)
    assert dict(again.step("it").inputs) == {"table": "a", "list": "list"}


@given(
    st.lists(
        st.tuples(st.sampled_from(["tidy_text", "join", "stack", "type_in_a_table"]), st.integers(0, 9), st.booleans()),
        max_size=7,
    )
)
def test_a_new_step_never_takes_what_follows_from_it(asked):
    """Whatever is added wherever, put in or as a branch: no circle, and no table of its own followers."""
    flow = Flow(steps=(Step(id="first", kind="type_in_a_table"), Step(id="second", kind="type_in_a_table")))
    for n, (kind, place, insert) in enumerate(asked):
        after = flow.steps[place % len(flow.steps)].id
        step = Step(id=f"s{n}", kind=kind)
        where = {} if kind == "type_in_a_table" else {"after": after, "insert": insert, "plug": True}
        flow = AddStep(step=step, **where).apply(flow, SHAPES)
        assert not cycles(flow), (kind, after, insert)


def test_a_table_is_joined_with_its_own_summary_on_a_branch():
    steps = (Step(id="orders", kind="type_in_a_table"), Step(id="sums", kind="summarise", inputs={"table": "orders"}))
    put_in = AddStep(step=Step(id="j", kind="join"), after="orders", plug=True).apply(Flow(steps=steps), SHAPES)
    assert dict(put_in.step("j").inputs) == {"table": "orders"} and put_in.step("sums").inputs == {"table": "j"}
    branch = AddStep(step=Step(id="j", kind="join"), after="orders", plug=True, insert=False)
    assert dict(branch.apply(Flow(steps=steps), SHAPES).step("j").inputs) == {"table": "orders", "reference": "sums"}
