"""Runs by parts: what comes in, what is kept in between, and what is left when something goes wrong."""

import errno
import os
import random
from datetime import date, timedelta
from pathlib import Path

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from polars.testing import assert_frame_equal

from tests.core.test_spreading import check, cut, of_all, of_parts
from updraft.core import Files, Flow, Problem, Step, plan, run
from updraft.core.engine.cutting import Cut, cut_for, memory_of_runs
from updraft.core.engine.hands import Here
from updraft.core.engine.pieces import in_memory
from updraft.core.engine.running import Report
from updraft.core.engine.spreading import Way
from updraft.core.formats import json_text
from updraft.core.formats.reading import scan
from updraft.core.steps import kinds
from updraft.core.values.decide import decide, decide_parts

ROWS = 30_000
CELL = st.none() | st.sampled_from(
    ["1", "12", "007", " 3", "1.5", "1,234", "1.234,5", "n/a", "-", "yes", "no", "2026-03-01", "03/04/2026", "x", ""]
)


@settings(max_examples=120)
@given(
    st.lists(st.sampled_from([["1", "n/a", None], ["03/04/2026", "13/04/2026"], ["1,234", "2"], ["yes", "no", ""]]))
    .map(lambda kinds: [cell for one in kinds for cell in one])
    .flatmap(lambda usual: st.lists(st.sampled_from(usual) if usual else CELL, max_size=30))
    | st.lists(CELL, max_size=12),
    st.lists(st.integers(0, 30), max_size=4),
)
def test_a_column_in_parts_is_taken_for_what_the_whole_is(cells, cuts):
    frame = pl.DataFrame({"x": cells}, schema={"x": pl.String})
    whole, [expected] = decide(frame)
    parts = list(cut(frame, cuts))
    [(how, decision)] = decide_parts(["x"], lambda names: (part.select(names) for part in parts)).values()
    assert decision == expected
    assert_frame_equal(pl.concat([how.made(part["x"]) for part in parts]).to_frame(), whole)


@pytest.fixture(scope="module")
def lots(tmp_path_factory) -> Path:
    """Text and Parquet files larger than what is looked at in the beginning."""
    folder, pick = tmp_path_factory.mktemp("lots"), random.Random(5)
    rows = [
        (
            f"LM-{n}", pick.choice(["Fen Pea", " fen pea", "Chioggia", "Brandywine"]), f"{pick.randrange(90)}.{n % 9}5",
            pick.choice(["12", "7", "n/a"]), f"{1 + n % 28:02d}/{1 + n % 12:02d}/2026", f"H{n % 500}" if n % 7 else "",
        )
        for n in range(ROWS)
    ]  # fmt: skip
    names = ("Lot", "Variety", "Weight", "Germinated", "Sown", "Hub")
    text = "\n".join(",".join(row) for row in (names, *rows))
    (folder / "lots.csv").write_text(text + "\n\nCounted by Wren\n")
    table = pl.DataFrame(rows, schema=dict.fromkeys(names, pl.String), orient="row")
    for number, part in enumerate(table.iter_slices(11_000)):
        part.write_parquet(folder / f"lots_{number}.parquet")
        part.write_ipc(folder / f"lots_{number}.arrow")
        part.write_ndjson(folder / f"lots_{number}.jsonl")
    hubs = pl.DataFrame({"Hub": [f"H{n}" for n in range(0, 500, 2)], "Region": [f"R{n % 9}" for n in range(250)]})
    hubs.write_csv(folder / "hubs.csv")
    return folder


def flow(path: str, *, by: list[str] | None = None) -> Flow:
    """Rows kept, tidied, met with a list, numbered within groups, without doubles, summarised and written in all forms."""

    def step(name: str, kind: str, settings: dict, table: str = "", **more: str) -> Step:
        return Step(id=name, kind=kind, settings=settings, inputs={"table": table, **more} if table else {})

    rule = {"of": [{"column": "Hub", "test": "filled"}]}
    keys = {"keys": [{"column": "Hub", "reference": "Hub"}]}
    figures = [{"figure": "sum", "column": "Weight"}, {"figure": "mean", "column": "Germinated"}, {"figure": "rows"}]
    return Flow(
        steps=(
            step("r", "read_file", {"path": path}),
            step("h", "read_file", {"path": "hubs.csv"}),
            step("k", "keep_rows", {"rule": rule}, "r"),
            step("t", "tidy_text", {"columns": {"by": "names", "names": ["Variety"]}, "case": "title"}, "k"),
            step("j", "join", {**keys, "rows": "full"}, "t", reference="h"),
            step("n", "number_rows", {"by": ["Hub"], "name": "Number"}, "j"),
            step("d", "remove_duplicates", {"keys": ["Hub", "Variety", "Weight"]}, "n"),
            step("s", "summarise", {"by": by or ["Region", "Variety"], "figures": figures}, "d"),
            step("w", "write_file", {"name": "sums.csv"}, "s"),
            step("v", "write_file", {"name": "lots.csv"}, "d"),
            step("p", "write_file", {"name": "lots.parquet"}, "d"),
            step("a", "write_file", {"name": "lots.arrow"}, "d"),
            step("l", "write_file", {"name": "lots.jsonl"}, "d"),
            step("c", "summarise", {"by": ["Variety"], "figures": [{"figure": "rows"}]}, "v"),
            step("x", "write_file", {"name": "counted.csv"}, "c"),
            step("u", "write_file", {"name": "unmatched.csv"}, "j.unmatched"),
            step("f", "profile_columns", {}, "d"),
            step("y", "write_file", {"name": "profile.csv"}, "f"),
        )
    )


def delivered(folder: Path, flow: Flow, out: Path, cut: Cut | None) -> tuple[Report, dict[str, bytes]]:
    files = Files(folder)
    report = run(plan(flow, files), files, out, cut=cut)
    return report, {path.name: path.read_bytes() for path in out.glob("*")}


@pytest.mark.parametrize(
    "path, cut",
    [
        ("lots.csv", Cut(rows=1_000, buckets=7)),
        ("lots.csv", Cut(rows=4_000, room=1 << 20)),
        ("lots.csv", Cut(rows=9, buckets=2)),
        ("lots_*.parquet", Cut(rows=1_000, buckets=7)),
        ("lots_*.parquet", Cut(rows=4_000, room=1 << 20)),
        ("lots_*.arrow", Cut(rows=1_000, buckets=7)),
        ("lots_*.jsonl", Cut(rows=1_000, buckets=7)),
    ],
)
def test_a_run_by_parts_delivers_and_tells_the_same(lots, tmp_path, path, cut, monkeypatch):
    if cut.rows == 9:  # parts of a few rows, of a table that is no longer than it must be
        small = tmp_path / "small"
        small.mkdir()
        for name, most in (("lots.csv", 120), ("hubs.csv", 40)):
            (small / name).write_text("\n".join((lots / name).read_text().splitlines()[:most]))
        lots = small
    monkeypatch.setattr(json_text, "LARGE", 0)
    assert cut.rows == 9 or all(scan(file) for file in lots.glob(path)), "they are brought in part by part"
    whole, expected = delivered(lots, flow(path), tmp_path / "whole", None)
    monkeypatch.setattr("updraft.core.steps.outputs.write_file.WriteFile.prepare", None)  # which holds all rows
    parted, made = delivered(lots, flow(path), tmp_path / "parts", cut)
    assert (whole.status, parted.status) == ("ok", "ok"), (whole.error, parted.error)
    assert made == expected and len(made) == 8

    def told(report: Report) -> list[dict]:
        each = [step.as_dict() for step in report.steps]
        return [{key: one[key] for key in one if key not in ("seconds", "sides")} for one in each]

    assert told(parted) == told(whole)
    assert [step.figures for step in parted.steps] == [step.figures for step in whole.steps]
    assert sum(len(step.figures) for step in parted.steps) > 6


@pytest.mark.parametrize(("last", "by"), [("1.25", "Hub"), ("0.3333333", "Hub"), ("1.25", "Lot")])
def test_groups_are_added_up_part_by_part_where_that_gives_the_same(tmp_path, monkeypatch, last, by):
    """Where a row at the end shows that it does not, or groups are as many as rows, the table begins anew."""
    rows = [f"L{n},H{n % 3},{n % 90}.{n % 7}" for n in range(3_000)]
    (tmp_path / "lots.csv").write_text("\n".join(["Lot,Hub,Weight", *rows, f"L9999,H1,{last}"]))
    figures = [{"figure": "sum", "column": "Weight"}, {"figure": "mean", "column": "Weight"}, {"figure": "rows"}]
    each = {
        "read": ("read_file", {"path": "lots.csv"}), "tidy": ("tidy_text", {"case": "upper"}),
        "sums": ("summarise", {"by": [by], "figures": figures}), "out": ("write_file", {"name": "out.csv"}),
    }  # fmt: skip
    before = {"tidy": "read", "sums": "tidy", "out": "sums"}
    steps = [
        Step(id=id, kind=kind, settings=chosen, inputs={"table": (before[id],)} if id in before else {})
        for id, (kind, chosen) in each.items()
    ]
    dealt, deal = [], Here.dealt
    monkeypatch.setattr(Here, "dealt", lambda *given: dealt.append(1) or deal(*given))
    whole, expected = delivered(tmp_path, Flow(steps=tuple(steps)), tmp_path / "whole", None)
    parted, made = delivered(tmp_path, Flow(steps=tuple(steps)), tmp_path / "parts", Cut(rows=100, buckets=3))
    assert made == expected and bool(dealt) == ((last, by) != ("1.25", "Hub"))
    assert [(one.rows_out, one.facts) for one in parted.steps] == [(one.rows_out, one.facts) for one in whole.steps]


def test_a_table_with_a_row_of_another_width_is_read_with_care(lots, tmp_path):
    text = (lots / "lots.csv").read_text().splitlines()
    text[20_000] += ",and,more"
    (tmp_path / "lots.csv").write_text("\n".join(text))
    (tmp_path / "hubs.csv").write_bytes((lots / "hubs.csv").read_bytes())
    whole, expected = delivered(tmp_path, flow("lots.csv"), tmp_path / "whole", None)
    parted, made = delivered(tmp_path, flow("lots.csv"), tmp_path / "parts", Cut(rows=1_000))
    assert made == expected and parted.steps[0].warnings == whole.steps[0].warnings
    assert any("more than 6 cells" in text for text in parted.steps[0].warnings)


def test_one_key_that_holds_half_of_all_rows(tmp_path):
    pick = random.Random(2)
    table = pl.DataFrame({"a": ["x" if n % 2 else f"k{pick.randrange(40)}" for n in range(900)], "x": range(900)})
    kind = kinds()["number_rows"]
    chosen = kind.Settings(name="N", by=("a",))
    assert check(kind, chosen, {"table": [table]}, [100, 250, 600], 5, 50)


@pytest.mark.parametrize("many", ["first", "last", "repeat"])
@pytest.mark.parametrize("room", [0, 1 << 30])
def test_a_look_up_in_a_table_that_is_large_itself(many, room):
    pick = random.Random(4)
    keys = [*(f"H{n}" for n in range(60)), None]
    table = pl.DataFrame({"hub": [pick.choice(keys) for _ in range(500)], "n": range(500)})
    other = pl.DataFrame({"code": [pick.choice(keys[:40]) for _ in range(90)], "name": [f"N{n}" for n in range(90)]})
    kind = kinds()["look_up"]
    pairs, bring = [{"column": "hub", "reference": "code"}], [{"column": "name"}]
    chosen = kind.Settings.model_validate({"keys": pairs, "bring": bring, "many": many})
    tables, cuts = {"table": [table], "reference": [other]}, [10, 200, 350]
    assert check(kind, chosen, tables, cuts, 6, 70, room)
    pieces = {port: [cut(one, cuts) for one in few] for port, few in tables.items()}
    made, whole = (
        of_parts(kind, chosen, pieces, {"unmatched"}, Way(in_memory, Here(in_memory), 70, 6, room)),
        of_all(kind, chosen, tables),
    )
    assert made.facts == whole.facts and {fact.code for fact in made.facts} >= {"double_keys", "unmatched_values"}
    assert made.outputs[""].lazy().collect().equals(whole.lazy().collect())
    assert made.outputs["unmatched"].lazy().collect().equals(whole.lazy("unmatched").collect())


@pytest.mark.parametrize("down", [False, True])
@pytest.mark.parametrize("empty", ["first", "last"])
@pytest.mark.parametrize("column", ["name", "n", "kg", "day", "paid", "none"])
def test_a_sort_by_ranges(column, down, empty):
    pick = random.Random(6)

    def some(values):
        return [pick.choice([*values, None]) for _ in range(400)]

    days = [date(2026, 1, 1) + timedelta(days=n) for n in range(90)]
    table = pl.DataFrame(
        {
            "name": some(["Lot 2", "lot 10", "Ähre", "ahre", "", *(f"Fen {n}" for n in range(60))]), "n": some(range(-9, 30)),
            "kg": some([-0.0, 0.0, float("nan"), 1.5, -2.5, *range(40)]), "day": some(days), "paid": some([True, False]),
            "none": pl.Series([None] * 400, dtype=pl.String), "row": range(400),
        },
        strict=False,
    )  # fmt: skip
    kind = kinds()["sort_rows"]
    order = [{"column": column, "down": down}, {"column": "n"}]
    chosen = kind.Settings.model_validate({"order": order[: 1 if column == "n" else 2], "empty": empty})
    assert check(kind, chosen, {"table": [table]}, [50, 51, 200], 7, 40)


@pytest.mark.parametrize(
    "kind, settings, side",
    [
        ("recode_values", {"column": "a", "changes": [{"old": "k1", "new": "K"}], "others": "mark"}, "others"),
        ("check", {"rules": [{"must": "filled", "columns": ["x"], "then": "warn"}]}, "results"),
        (
            "look_up",
            {"keys": [{"column": "a", "reference": "b"}], "bring": [{"column": "y"}], "many": "first"},
            "shared",
        ),
    ],
)
@pytest.mark.parametrize("room", [0, 1 << 30])
def test_a_side_that_only_the_whole_gives_is_given_by_parts_too(kind, settings, side, room):
    table = pl.DataFrame({"a": [f"k{n % 7}" for n in range(90)], "x": [None if n % 9 else n for n in range(90)]})
    other = pl.DataFrame({"b": ["k1", "k1", "k2", "k4", "k4", "k9"], "y": range(6)})
    kind = kinds()[kind]
    chosen = kind.Settings.model_validate(settings)
    tables = {port.name: [table if port.main else other] for port in kind.inputs}
    pieces = {port: [cut(one, [3, 4, 30, 60]) for one in few] for port, few in tables.items()}
    made, whole = (
        of_parts(kind, chosen, pieces, {side}, Way(in_memory, Here(in_memory), 20, 3, room)),
        of_all(kind, chosen, tables),
    )
    assert made.outputs[side].height and made.outputs[side].lazy().collect().equals(whole.lazy(side).collect())
    assert made.outputs[""].lazy().collect().equals(whole.lazy().collect()) and made.facts == whole.facts


def test_what_does_not_need_a_column_that_is_gone_is_delivered_by_parts_too(lots, tmp_path):
    def step(name: str, kind: str, settings: dict, table: str = "") -> Step:
        return Step(id=name, kind=kind, settings=settings, inputs={"table": table} if table else {})

    tidy = {"columns": {"by": "names", "names": ["Variety"]}}
    partly = Flow(
        steps=(
            step("r", "read_file", {"path": "lots.csv"}),
            step("t", "tidy_text", tidy, "r"),
            step("k", "keep_rows", {"rule": {"of": [{"column": "Gone", "test": "filled"}]}}, "t"),
            step("w", "write_file", {"name": "kept.csv"}, "k"),
            step("s", "summarise", {"by": ["Hub"], "figures": [{"figure": "rows"}]}, "r"),
            step("v", "write_file", {"name": "hubs.csv"}, "s"),
        )
    )
    whole, expected = delivered(lots, partly, tmp_path / "whole", None)
    parted, made = delivered(lots, partly, tmp_path / "parts", Cut(tmp_path / "scratch", 1_000))
    assert whole.status == parted.status == "partly" and made == expected and list(made) == ["hubs.csv"]
    assert parted.error.as_dict() == whole.error.as_dict() and [one.id for one in parted.steps] == [
        one.id for one in whole.steps
    ]


def test_a_disk_that_fills_up_delivers_nothing_and_leaves_nothing(lots, tmp_path, monkeypatch):
    written = []

    def write(frame, path, *args, **more):
        written.append(path)
        if len(written) > 12:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(frame, path, *args, **more)

    real = pl.DataFrame.write_ipc
    monkeypatch.setattr(pl.DataFrame, "write_ipc", write)
    report, made = delivered(lots, flow("lots.csv"), tmp_path / "out", Cut(tmp_path / "scratch", 1_000))
    assert report.status == "failed" and report.error.code == "no_room" and "the disk is full" in report.error.reason
    assert not made and not list((tmp_path / "scratch").iterdir())


@pytest.mark.parametrize(("harm", "said"), [("cut", "cannot be read"), ("lost", "is not there any more")])
@pytest.mark.parametrize("room", [0, 1])
def test_a_part_that_something_else_cut_or_took_away_is_named_and_nothing_is_delivered(
    lots, tmp_path, monkeypatch, harm, said, room
):
    """The tenth part that is written, and every one after it until the run notices."""
    written = []

    def write(frame, path, *args, **more):
        done = real(frame, path, *args, **more)
        written.append(path)
        if len(written) >= 10 and isinstance(path, Path):
            path.unlink() if harm == "lost" else path.write_bytes(path.read_bytes()[:-200])
        return done

    real = pl.DataFrame.write_ipc
    monkeypatch.setattr(pl.DataFrame, "write_ipc", write)
    cut = Cut(tmp_path / "scratch", 1_000, buckets=7, room=room)
    report, made = delivered(lots, flow("lots.csv"), tmp_path / "out", cut)
    assert report.status == "failed" and report.error.code == "damaged_part" and said in report.error.reason
    assert report.error.step and not made and not list((tmp_path / "scratch").iterdir())


def test_what_a_killed_run_left_goes_with_the_next_one(lots, tmp_path):
    dead, alive = (tmp_path / f"updraft-parts-{pid}-abc" for pid in (99_999_999, os.getpid()))
    for folder in (dead, alive):
        folder.mkdir()
        (folder / "part.arrow").write_text("…")
    delivered(lots, flow("lots.csv"), tmp_path / "out", Cut(tmp_path, 5_000))
    assert not dead.exists() and alive.exists() and len(list(tmp_path.glob("updraft-parts-*"))) == 1


def test_a_cancelled_run_ends_between_two_parts(lots, tmp_path):
    asked, files = [], Files(lots)
    report = run(
        plan(flow("lots.csv"), files), files, tmp_path / "out", cut=Cut(tmp_path / "scratch", 500),
        cancelled=lambda: asked.append(1) or len(asked) > 40,
    )  # fmt: skip
    assert report.status == "cancelled" and not (tmp_path / "out").exists()
    assert not list((tmp_path / "scratch").iterdir())


def test_the_memory_that_a_run_may_take_says_how_it_computes(lots, monkeypatch, tmp_path):
    files = Files(lots)
    planned, size = plan(flow("lots.csv"), files), (lots / "lots.csv").stat().st_size
    assert cut_for(planned, files, 4 * size) is None
    assert cut_for(planned, files, size).rows == 20_000
    monkeypatch.setattr("updraft.core.engine.cutting.shutil.disk_usage", lambda place: type("", (), {"free": 1000}))
    with pytest.raises(Problem, match="GB are free"):
        cut_for(planned, files, size)
    for said, is_ in (("2GB", 2 << 30), ("1.5 G", 3 << 29), ("500MB", 500 << 20), ("134217728", 128 << 20)):
        monkeypatch.setenv("UPDRAFT_MEMORY", said)
        assert memory_of_runs() == is_
    for said in ("much", "10MB", "-2GB"):
        monkeypatch.setenv("UPDRAFT_MEMORY", said)
        with pytest.raises(Problem, match="UPDRAFT_MEMORY"):
            memory_of_runs()
