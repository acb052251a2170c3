"""Plan, cache, look and run, on the flow of the example world."""

import errno
import time
from datetime import date
from pathlib import Path

import openpyxl
import polars as pl
import pytest

from tests.expected import expected_report
from updraft.core import Engine, Files, Flow, Parameter, Problem, Ref, Step, TableCache, dump, load, plan, run
from updraft.core.deliver import FileDelivery
from updraft.core.engine import table as table_module
from updraft.core.engine.parameters import as_text, read_value
from updraft.core.flow.edits import AddStep, RemoveStep, SetSettings, SwitchStep
from updraft.core.steps import SHAPES
from updraft.demo import MONTHS, march_report


@pytest.mark.parametrize("month", list(MONTHS))
def test_the_report_of_every_month_equals_plain_python(world, tmp_path, month):
    files = Files(world)
    report = run(plan(march_report(), files, {"month": month}), files, tmp_path)
    assert report.status == "ok", report.error
    (output,) = report.outputs
    assert output.path.name == f"packet_report_{month}.xlsx"
    rows = list(openpyxl.load_workbook(output.path)["Packets"].iter_rows(values_only=True))
    assert rows[0] == ("Hub", "Variety", "Orders", "Packets", "Revenue", "Gardens")
    assert rows[1:] == expected_report(world, month)
    done = {step.id: step for step in report.steps}
    assert done["drop_totals"].rows_in - done["drop_totals"].rows_out == 1
    assert done["orders"].rows_out == MONTHS[month][0] + 1
    assert done["look_up"].sides["unmatched"] > 0
    assert list(tmp_path.iterdir()) == [output.path], "no scratch file is left"


def test_look_and_run_agree_and_an_edit_recomputes_only_what_follows(world, tmp_path, monkeypatch):
    computed: list[str] = []
    real = table_module.compute

    def spy(kind, *args, **more):
        computed.append(kind.kind)
        return real(kind, *args, **more)

    monkeypatch.setattr("updraft.core.engine.engine.compute", spy)
    files, engine, flow = Files(world), Engine(TableCache(tmp_path / "cache")), march_report()
    tables = {}
    planned = engine.plan(flow, files)
    for step_id in planned.steps:
        tables[step_id] = engine.look(planned, step_id, files)
    assert len(computed) == 10
    report = run(planned, files, tmp_path / "out")
    assert {s.id: s.rows_out for s in report.steps} == {i: t.height for i, t in tables.items()}
    computed.clear()
    edited = engine.plan(
        SetSettings(id="tidy", settings={"columns": {"by": "names", "names": ["Grower"]}}).apply(flow, SHAPES), files
    )
    engine.look(edited, "tidy", files)
    assert computed == ["tidy_text"]
    engine.look(edited, "summarise", files)
    assert computed == ["tidy_text", "summarise"], "what lies between is part of one lazy query"
    engine.look(planned, "summarise", files)
    assert computed == ["tidy_text", "summarise"], "the old table is still known"


def test_a_cache_on_disk_is_used_by_the_next_engine_and_damage_is_noticed(world, tmp_path):
    files, flow = Files(world), march_report()

    def open_engine() -> Engine:
        return Engine(TableCache(tmp_path))

    first = open_engine()
    planned = first.plan(flow, files)
    table = first.look(planned, "tidy", files)
    first.cache.flush()
    again = open_engine().cache.get(table.fingerprint)
    assert again is not None and again.lazy().collect().equals(table.lazy().collect()) and again.facts == table.facts
    path = tmp_path / f"{table.fingerprint}.arrow"
    before = path.read_bytes()
    for damaged in (before[:-100], before[:200] + b"\xff" * 20 + before[220:], b""):
        path.write_bytes(damaged)
        other = open_engine()
        assert other.cache.get(table.fingerprint) is None
        assert other.look(planned, "tidy", files).lazy().collect().equals(table.lazy().collect())
        other.cache.flush()
        assert path.read_bytes() == before, "the same fingerprint gives the same bytes"


def test_the_cache_evicts_the_least_recently_used_by_size(tmp_path):
    cache = TableCache(tmp_path, disk_bytes=60_000, memory_bytes=1)
    for n in range(12):
        cache.put(table_module.Table(f"{n:032x}", {"": pl.DataFrame({"x": range(1000)})}, {"": 1000}), wait=True)
    kept = sorted(p.stem for p in tmp_path.glob("*.json"))
    assert 2 <= len(kept) < 12 and f"{11:032x}" in kept
    assert sum(p.stat().st_size for p in tmp_path.iterdir()) < 90_000
    assert cache.get(f"{0:032x}") is None and cache.get(f"{11:032x}").height == 1000


def test_the_fingerprint_follows_content_settings_and_order_of_steps(world, tmp_path):
    (tmp_path / "x.csv").write_text("a,b\n1,2\n")
    flow = Flow(
        steps=(
            Step(id="r", kind="read_file", settings={"path": "x.csv"}),
            Step(id="k", kind="tidy_text", settings={}, inputs={"table": "r"}),
        )
    )

    def mark(given: Flow) -> str:
        return plan(given, Files(tmp_path)).fingerprint(Ref("k"))

    first = mark(flow)
    assert mark(flow.model_copy(update={"name": "other"})) == first
    assert mark(SetSettings(id="k", settings={"case": "upper"}).apply(flow, SHAPES)) != first
    assert mark(SwitchStep(id="k", enabled=False).apply(flow, SHAPES)) == plan(flow, Files(tmp_path)).fingerprint(
        Ref("r")
    )
    (tmp_path / "x.csv").write_text("a,b\n1,3\n")
    assert mark(flow) != first


def problem_at(flow: Flow, folder: Path) -> dict[str, str]:
    planned = plan(flow, Files(folder))
    return {
        i: (s.problem.code if s.problem else f"waits for {s.waits_for}" if s.waits_for else "")
        for i, s in planned.steps.items()
    }


def test_what_is_wrong_is_said_at_the_step_and_only_stops_what_needs_it(world):
    flow = march_report()
    gone = SetSettings(id="growers", settings={"path": "grower.xlsx"}).apply(flow, SHAPES)
    found = problem_at(gone, world)
    assert found["growers"] == "no_file" and found["look_up"] == "waits for growers" and found["kinds"] == ""
    assert problem_at(RemoveStep(id="growers").apply(flow, SHAPES), world)["recode_hub"] == "unfinished"
    new = AddStep(step=Step(id="new", kind="keep_rose"), after="tidy").apply(flow, SHAPES)
    assert problem_at(new, world)["new"] == "unknown_kind"
    assert problem_at(SwitchStep(id="growers", enabled=False).apply(flow, SHAPES), world)["growers"] == "source_off"
    assert (
        problem_at(SetSettings(id="tidy", settings={"case": "loud"}).apply(flow, SHAPES), world)["tidy"]
        == "bad_setting"
    )
    with pytest.raises(Problem, match="did you mean “month”"):
        plan(flow, Files(world), {"months": "2026-04"})
    with pytest.raises(Problem) as caught:
        engine = Engine()
        engine.look(engine.plan(gone, Files(world)), "summarise", Files(world))
    assert caught.value.step == "growers" and "there is “growers.xlsx”" in str(caught.value)


def test_a_missing_column_is_met_while_computing_and_names_the_nearest(world, tmp_path):
    flow = SetSettings(id="recode_variety", settings={"column": "Varieties", "changes": []}).apply(
        march_report(), SHAPES
    )
    files = Files(world)
    report = run(plan(flow, files), files, tmp_path)
    assert report.status == "failed" and report.error.step == "recode_variety"
    assert "Did you mean “Variety”?" in str(report.error)
    assert {step.id for step in report.steps} == {"orders", "drop_totals", "tidy", "growers", "recode_hub"}
    assert not list(tmp_path.iterdir())


def test_a_file_outside_the_flows_folder_cannot_be_read(tmp_path):
    (tmp_path / "secret.csv").write_text("a,b\n1,2\n")
    (tmp_path / "flow").mkdir()
    for path in ("../secret.csv", str(tmp_path / "secret.csv")):
        with pytest.raises(Problem, match="outside"):
            Files(tmp_path / "flow").file(path)


def test_outputs_appear_whole_or_not_at_all(world, tmp_path, monkeypatch):
    files, flow = Files(world), march_report()
    second = Step(id="second", kind="write_file", settings={"name": "second.csv"}, inputs={"table": "summarise"})
    flow = AddStep(step=second).apply(flow, SHAPES)
    (tmp_path / "second.csv").write_text("old")

    def full(*_args, **_more):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("updraft.core.steps.outputs.write_file.write_csv", full)
    report = run(plan(flow, files), files, tmp_path)
    assert report.status == "failed" and "the disk is full" in str(report.error) and report.error.step == "second"
    assert [p.name for p in tmp_path.iterdir()] == ["second.csv"] and (tmp_path / "second.csv").read_text() == "old"


@pytest.mark.parametrize(("exists", "names"), [("replace", ["x.csv"]), ("both", ["x (2).csv", "x.csv"])])
def test_a_file_that_exists(world, tmp_path, exists, names):
    flow = Flow(
        steps=(
            Step(id="r", kind="read_file", settings={"path": "growers.xlsx"}),
            Step(id="w", kind="write_file", settings={"name": "x.csv", "exists": exists}, inputs={"table": "r"}),
        )
    )
    files = Files(world)
    for _ in range(2):
        assert run(plan(flow, files), files, tmp_path).status == "ok"
    assert sorted(p.name for p in tmp_path.iterdir()) == names
    refusing = SetSettings(id="w", settings={"name": "x.csv", "exists": "refuse"}).apply(flow, SHAPES)
    assert "a file of this name is there already" in str(run(plan(refusing, files), files, tmp_path).error)
    outside = SetSettings(id="w", settings={"name": "../x.csv"}).apply(flow, SHAPES)
    assert "plain file name" in str(run(plan(outside, files), files, tmp_path).error)


def test_a_run_can_be_cancelled_between_steps(world, tmp_path):
    files, seen = Files(world), []
    report = run(
        plan(march_report(), files),
        files,
        tmp_path,
        progress=lambda i, r: seen.append(i),
        cancelled=lambda: len(seen) >= 4,
    )
    assert report.status == "cancelled" and len(report.steps) == 2 and not list(tmp_path.iterdir())


def test_real_files_zones_with_a_single_code_get_their_country(tmp_path):
    """zone1970.tab and iso3166.tab of the tzdata package: read without a header, comments, several codes in one cell."""
    import tzdata

    folder = Path(tzdata.__file__).parent / "zoneinfo"
    flow = Flow(
        steps=(
            Step(id="zones", kind="read_file", settings={"path": "zone1970.tab", "header": "none"}),
            Step(
                id="single",
                kind="keep_rows",
                inputs={"table": "zones"},
                settings={
                    "by": "rule",
                    "rule": {"of": [{"column": "Column 1", "test": "matches", "value": "^[A-Z]{2}$"}]},
                },
            ),
            Step(id="codes", kind="read_file", settings={"path": "iso3166.tab", "header": "none"}),
            Step(
                id="country",
                kind="look_up",
                inputs={"table": "single", "reference": "codes"},
                settings={
                    "keys": [{"column": "Column 1", "reference": "Column 1"}],
                    "bring": [{"column": "Column 2", "name": "Country"}],
                },
            ),
            Step(id="write", kind="write_file", inputs={"table": "country"}, settings={"name": "zones.csv"}),
        )
    )
    files = Files(folder)
    report = run(plan(flow, files), files, tmp_path)
    assert report.status == "ok", report.error
    plain = [
        line.split("\t") for line in (folder / "zone1970.tab").read_text().splitlines() if not line.startswith("#")
    ]
    names = dict(
        line.split("\t") for line in (folder / "iso3166.tab").read_text().splitlines() if not line.startswith("#")
    )
    expected = [(row[0], row[2], names[row[0]]) for row in plain if "," not in row[0]]
    written = pl.read_csv(tmp_path / "zones.csv", infer_schema=False)
    assert written.select("Column 1", "Column 3", "Country").rows() == expected and len(expected) > 200


def test_a_full_disk_costs_the_cache_nothing_but_the_file(world, tmp_path, monkeypatch):
    def full(*_args, **_more):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(pl.DataFrame, "write_ipc", full)
    engine, files = Engine(TableCache(tmp_path)), Files(world)
    planned = engine.plan(march_report(), files)
    table = engine.look(planned, "summarise", files)
    engine.cache.flush()
    assert table.height == 126 and engine.look(planned, "summarise", files) is table
    assert list(tmp_path.iterdir()) == []


def test_parameters_fill_every_text_of_the_settings(world):
    flow = SetSettings(
        id="drop_totals",
        settings={
            "by": "rule",
            "rule": {"of": [{"column": "Order", "test": "one_of", "values": ["Total", "x {params.month}"]}]},
        },
    ).apply(march_report(), SHAPES)
    planned = plan(flow, Files(world), {"month": "2026-04"})
    assert planned.steps["drop_totals"].settings.rule.of[0].values == ("Total", "x 2026-04")
    assert planned.steps["orders"].settings.path == "packet_orders_2026-04.xlsx"
    unknown = SetSettings(id="write", settings={"name": "{params.year}.csv"}).apply(flow, SHAPES)
    assert problem_at(unknown, world)["write"] == "no_parameter"


def test_a_flow_without_steps_or_with_two_outputs_of_one_name_does_not_run(world, tmp_path):
    files = Files(world)
    assert run(plan(Flow(), files), files, tmp_path).error.code == "empty_flow"
    twin = Step(id="twin", kind="write_file", settings={"name": "packet_report_2026-03.xlsx"}, inputs={"table": "tidy"})
    report = run(plan(AddStep(step=twin).apply(march_report(), SHAPES), files), files, tmp_path)
    assert report.error.code == "same_name" and report.error.step in ("twin", "write") and not list(tmp_path.iterdir())


def test_a_file_that_comes_otherwise_is_told_of_and_what_does_not_need_the_change_is_delivered(tmp_path):
    (tmp_path / "stock.csv").write_text("Lot,Remark,Hub,Gramms\nL1,dry,Aldermere,5\nL2,,Coldwater,7\n")
    read = {"path": "stock.csv", "layout": ["Lot", "Hub", "Grams", "Bay"], "columns": ["Lot", "Hub", "Bay"]}
    steps = (
        Step(id="stock", kind="read_file", settings=read),
        Step(id="all", kind="read_file", settings={"path": "stock.csv"}),
        Step(id="good", kind="write_file", inputs={"table": "stock"}, settings={"name": "good.csv"}),
        Step(
            id="sum",
            kind="summarise",
            inputs={"table": "all"},
            settings={"by": ["Hub"], "figures": [{"figure": "sum", "column": "Grams"}]},
        ),
        Step(id="bad", kind="write_file", inputs={"table": "sum"}, settings={"name": "bad.csv"}),
    )
    files = Files(tmp_path)
    report = run(plan(Flow(steps=steps), files), files, tmp_path / "out")
    assert report.status == "partly", report.error
    assert report.error.step == "sum" and "Did you mean “Gramms”" in str(report.error)
    assert [output.path.name for output in report.outputs] == ["good.csv"]
    assert (tmp_path / "out/good.csv").read_text() == "Lot,Hub\nL1,Aldermere\nL2,Coldwater\n"
    assert not (tmp_path / "out/bad.csv").exists()
    assert report.steps[0].warnings == (
        "Since this file was set up, column “Grams” is gone and “Gramms” is new: perhaps renamed.",
        "Since this file was set up, column “Bay” is gone.",
        "Since this file was set up, column “Remark” is new.",
    )


def test_several_files_are_one_table_and_new_ones_are_picked_up(tmp_path):
    for month, text in (("02", "Lot,Grams\nL1,5\n"), ("03", "Grams,Lot,Hub\n7,L2,Aldermere\n")):
        (tmp_path / f"stock_2026-{month}.csv").write_text(text)
    flow = Flow(steps=(Step(id="r", kind="read_file", settings={"path": "stock_2026-*.csv"}),))
    engine, files = Engine(), Files(tmp_path)
    first = engine.look(engine.plan(flow, files), "r", files)
    assert first.frames[""].rows() == [
        ("stock_2026-02.csv", "L1", 5, None),
        ("stock_2026-03.csv", "L2", 7, "Aldermere"),
    ]
    assert first.warnings == ("File “stock_2026-03.csv”: column “Hub” is new.",)
    (tmp_path / "stock_2026-04.csv").write_text("Lot,Grams\nL3,9\n")
    assert engine.look(engine.plan(flow, files), "r", files).frames[""].height == 3
    outside = Flow(steps=(Step(id="r", kind="read_file", settings={"path": "../*.csv"}),))
    assert engine.plan(outside, files).steps["r"].problem.code == "outside"


@pytest.mark.parametrize(
    "phrase, day",
    [("first of last month", "2026-02-01"), ("last of last month", "2026-02-28"), ("last of this year", "2026-12-31"),
     ("today - 31 days", "2026-02-12"), ("Monday of last week", "2026-03-09"), ("sunday of this week", "2026-03-22"),
     ("first of next month + 3 days", "2026-04-04"), ("2026-01-05", "2026-01-05"), ("yesterday", "2026-03-14")],
)  # fmt: skip
def test_parameters_name_days_from_today(tmp_path, phrase, day):
    """15 March 2026 is a Sunday: this week is the one that began on the 9th."""
    today = date(2026, 3, 15) if "week" not in phrase else date(2026, 3, 16)
    flow = Flow(
        parameters=(Parameter(name="since", value=phrase, kind="date"),),
        steps=(Step(id="t", kind="type_in_a_table", settings={"columns": ["From"], "rows": [["{params.since}"]]}),),
    )
    files = Files(tmp_path, today=lambda: today)
    report = Engine().look(plan(flow, files), "t", files)
    assert f"{report.frames[''].item()}" == day
    with pytest.raises(Problem, match=r"Parameter “since”: .* names no day.* first of last month"):
        plan(flow, files, {"since": "some day"})


TODAY = date(2026, 3, 15)


@pytest.mark.parametrize(
    ("kind", "text", "value", "shown"),
    [
        ("whole", " 12 ", 12, "12"), ("number", "1.50", 1.5, "1.5"), ("yes_no", "Yes", True, "yes"),
        ("yes_no", "0", False, "no"), ("choice", "Fen", "Fen", "Fen"), ("date", "yesterday", date(2026, 3, 14), "2026-03-14"),
        ("list", "Fen, Dale,", ("Fen", "Dale"), "Fen, Dale"), ("list", "a,b\nc", ("a,b", "c"), "a,b, c"),
        ("list", '["x, y", "z"]', ("x, y", "z"), "x, y, z"), ("list", ["p", "q"], ("p", "q"), "p, q"), ("text", " a ", " a ", " a "),
    ],
)  # fmt: skip
def test_parameters_are_read_as_their_kinds_and_written_into_texts(kind, text, value, shown):
    parameter = Parameter(name="p", kind=kind, options=("Fen", "Dale"))
    read = read_value(parameter, text, lambda: TODAY)
    assert read == value and type(read) is type(value) and as_text(read) == shown


@pytest.mark.parametrize(
    ("kind", "text", "said"),
    [
        ("whole", "1.5", "no whole number"), ("number", "1,5", "Type a number with a point"), ("number", "inf", "no number"),
        ("yes_no", "maybe", "neither yes nor no"), ("choice", "Moor", "Take one of: Fen, Dale"), ("date", "soon", "names no day"),
    ],
)  # fmt: skip
def test_a_value_of_another_kind_is_refused_by_the_parameters_name(kind, text, said):
    with pytest.raises(Problem, match="Parameter “p”") as found:
        read_value(Parameter(name="p", kind=kind, options=("Fen", "Dale")), text, lambda: TODAY)
    assert said in str(found.value)


def test_a_list_takes_the_place_of_an_item_and_a_number_meets_numbers(tmp_path):
    (tmp_path / "a.csv").write_text("Hub,Kilos\nFen,2\nDale,10\nMoor,7\n")
    conditions = [
        {"column": "Hub", "test": "one_of", "values": ["{params.hubs}", "Ash"]},
        {"column": "Kilos", "test": "at_least", "value": "{params.least}"},
    ]
    flow = Flow(
        parameters=(Parameter(name="hubs", kind="list", value=["Fen", "Dale"]), Parameter(name="least", kind="number", value="2.5")),
        steps=(
            Step(id="r", kind="read_file", settings={"path": "a.csv"}),
            Step(id="k", kind="keep_rows", inputs={"table": "r"}, settings={"by": "rule", "rule": {"of": conditions}}),
        ),
    )  # fmt: skip
    files, engine = Files(tmp_path), Engine()

    def hubs(**given):
        return engine.look(engine.plan(flow, files, given), "k", files).lazy().collect()["Hub"].to_list()

    assert hubs() == ["Dale"]
    assert hubs(hubs=["Moor", "Fen"], least="2") == ["Fen", "Moor"]
    assert load(dump(flow)) == flow
    bad = flow.model_copy(update={"parameters": (flow.parameters[0], Parameter(name="least", kind="whole", value="x"))})
    planned = plan(bad, files)
    assert planned.steps["r"].fingerprint and "“least”" in str(planned.steps["k"].problem), (
        "only what uses it is stopped"
    )


def test_days_counted_from_today_and_parameters_stand_in_settings_of_days_and_numbers(tmp_path):
    (tmp_path / "a.csv").write_text("sown,kg\n2026-03-01,2\n2026-03-09,10\n2026-03-14,7\n")
    rule = {"of": [{"column": "sown", "test": "at_least", "value": "{day: today - 6 days}"}]}
    steps = (
        Step(id="r", kind="read_file", settings={"path": "a.csv"}),
        Step(id="k", kind="keep_rows", settings={"by": "rule", "rule": rule}, inputs={"table": "r"}),
        Step(id="t", kind="take_rows", settings={"count": "{params.most}"}, inputs={"table": "k"}),
    )
    flow = Flow(
        steps=steps, parameters=(Parameter(name="most", kind="whole", value="1"), Parameter(name="word", value="x"))
    )
    files, engine = Files(tmp_path, today=lambda: TODAY), Engine()
    assert engine.look(engine.plan(flow, files), "k", files).frames[""]["kg"].to_list() == [10, 7]
    assert engine.look(engine.plan(flow, files), "t", files).frames[""]["kg"].to_list() == [10]
    later = Files(tmp_path, today=lambda: date(2026, 3, 20))
    assert engine.look(engine.plan(flow, later), "k", later).frames[""]["kg"].to_list() == [7], (
        "and is made anew another day"
    )
    for settings, said in (
        ({"count": "{params.word}"}, "“x” is no whole number"),
        ({"count": "{params.gone}"}, "no such parameter"),
    ):
        wrong = SetSettings(id="t", settings=settings).apply(flow, SHAPES)
        assert said in str(engine.plan(wrong, files).steps["t"].problem)
    rule["of"][0]["value"] = "{day: todya}"
    wrong = SetSettings(id="k", settings={"by": "rule", "rule": rule}).apply(flow, SHAPES)
    assert "“todya”: it names no day. Type a date as 2026-03-31, or one of: today" in str(
        engine.plan(wrong, files).steps["k"].problem
    )


def test_a_run_tells_how_long_each_output_took_to_hand_over(tmp_path, monkeypatch):
    real = FileDelivery.commit
    monkeypatch.setattr(FileDelivery, "commit", lambda self: (time.sleep(0.05), real(self))[1])
    (tmp_path / "a.csv").write_text("lot\nA\n")
    steps = (
        Step(id="r", kind="read_file", settings={"path": "a.csv"}),
        Step(id="w", kind="write_file", settings={"name": "out.csv"}, inputs={"table": "r"}),
    )
    files = Files(tmp_path)
    report = run(plan(Flow(steps=steps), files), files, tmp_path / "out")
    assert report.outputs[0].seconds >= 0.05 and report.as_dict()["outputs"][0]["seconds"] >= 0.05
