"""What is looked at of files too large to be looked at as a whole."""

import csv
import errno
import io
from pathlib import Path

import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from updraft.core import Engine, Files, Flow, Problem, Ref, Step
from updraft.core.engine.samples import Samples
from updraft.core.formats import ReadOptions, thinning

CELL = st.text("ab \";,\n'5é", max_size=8)
ROWS = st.lists(st.tuples(CELL, CELL), min_size=40, max_size=150)
SHARE = st.floats(0.05, 0.6)
SMALL = settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60)


@pytest.fixture
def small_pieces(monkeypatch):
    monkeypatch.setattr(thinning, "_LEAST", 60)
    monkeypatch.setattr(thinning, "_FEWEST", 3)


def thinned(path: Path, share: float) -> Path:
    to = path.with_name("thinned")
    thinning.thin(path, to, share, ReadOptions(delimiter=",", quote='"') if path.suffix == ".csv" else ReadOptions())
    return to


def in_order(some: list, all_of_them: list) -> bool:
    """Whether rows stand among others in their order."""
    rest = iter(all_of_them)
    return all(row in rest for row in some)


@SMALL
@given(ROWS, SHARE)
def test_a_sample_of_a_text_is_of_whole_rows_from_its_beginning_to_its_end(small_pieces, tmp_path, rows, share):
    path = tmp_path / "all.csv"
    numbered = [["Number", "A", "B"], *([str(n), *row] for n, row in enumerate(rows))]
    with path.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, lineterminator="\n").writerows(numbered)
    text = thinned(path, share).read_text(encoding="utf-8")
    found = list(csv.reader(io.StringIO(text, newline="")))
    assert in_order(found, numbered)
    assert found[0] == numbered[0]
    size = path.stat().st_size
    if size * share >= 2 * 60:
        assert found[-1] == numbered[-1]
        assert 0.2 * share * size <= len(text.encode()) <= share * size + 64 * 60


@SMALL
@given(st.lists(st.text('ab" ,5', max_size=12), min_size=40, max_size=150), SHARE)
def test_quotes_that_open_nothing_leave_lines_whole(small_pieces, tmp_path, lines, share):
    path = tmp_path / "inches.csv"
    lines = ["Size,Note", *(f'{n}" x {line},"' for n, line in enumerate(lines))]
    path.write_text("".join(f"{line}\n" for line in lines))
    assert in_order(thinned(path, share).read_text().splitlines(), lines)


@pytest.mark.parametrize("form", ["parquet", "arrow"])
def test_a_sample_of_a_table_is_of_its_rows_and_types(small_pieces, tmp_path, form):
    table = pl.DataFrame({"n": range(1000), "t": [[n] for n in range(1000)]})
    path = tmp_path / f"all.{form}"
    (table.write_parquet if form == "parquet" else table.write_ipc)(path)
    made = (pl.read_parquet if form == "parquet" else pl.read_ipc)(thinned(path, 0.1))
    assert made.schema == table.schema
    assert in_order(made["n"].to_list(), table["n"].to_list())
    assert made["n"][0] == 0 and made["n"][-1] == 999
    assert 80 <= made.height <= 120
    assert len({n // 100 for n in made["n"]}) == 10  # from all over it


def step(name: str, kind: str, settings: dict | None = None, **inputs: str) -> Step:
    return Step(id=name, kind=kind, settings=settings or {}, inputs={port: (ref,) for port, ref in inputs.items()})


FLOW = Flow(
    name="Orders",
    steps=(
        step("large", "read_file", {"path": "large.csv"}),
        step("small", "read_file", {"path": "small.csv"}),
        step("book", "read_file", {"path": "part*.csv"}),
        step("tidy", "tidy_text", table="large"),
        step("sorted", "sort_rows", {"order": [{"column": "Code"}]}, table="small"),
        step("met", "look_up", {"keys": [{"column": "Code", "reference": "Code"}], "bring": [{"column": "Name"}]}, table="tidy", reference="sorted"),
        step("off", "tidy_text", table="met").model_copy(update={"enabled": False}),
        step("after", "take_rows", {"count": 5}, table="off"),
        step("other", "take_rows", {"count": 5}, table="small"),
        step("stack", "stack", tables="book"),
    ),
)  # fmt: skip


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    rows = "".join(f"GR-{n},{n}\n" for n in range(40_000))
    (tmp_path / "large.csv").write_text(f"Code,Number\n{rows}")
    (tmp_path / "small.csv").write_text("Code,Name\nGR-1,Ada\n")
    for n in range(3):
        (tmp_path / f"part{n}.csv").write_text(f"Code,Number\n{rows[:200_000]}")
    return tmp_path


def planned(folder: Path, samples: Samples | None, flow: Flow = FLOW):
    files = Files(folder, samples=samples)
    return Engine(), Engine().plan(flow, files), files


def test_what_is_said_to_be_a_sample_is_what_has_another_table(folder):
    """The fingerprint of a table says what it is made of: it differs where, and only where, a sample is told."""
    samples = Samples(folder / "samples", 4 << 20)
    _, whole, _ = planned(folder, None)
    _, some, _ = planned(folder, samples)
    assert [one.problem for one in some.steps.values() if one.problem] == []
    told = {id for id in some.steps if some.samples_before(Ref(id))}
    other = {id for id, one in some.steps.items() if one.fingerprint != whole.steps[id].fingerprint}
    assert told == other == {"large", "book", "tidy", "met", "off", "after", "stack"}


def test_looking_shows_a_sample_and_a_run_takes_all(folder):
    engine, plan, files = planned(folder, Samples(folder / "samples", 1 << 20))
    seen = engine.look(plan, "tidy", files).lazy().collect()
    assert 0 < seen.height < 20_000
    assert in_order(seen["Code"].to_list(), [f"GR-{n}" for n in range(40_000)])
    together = engine.look(plan, "book", files).lazy().collect()
    assert set(together["File"]) == {"part0.csv", "part1.csv", "part2.csv"}
    share = plan.steps["large"].share
    assert seen.height == pytest.approx(40_000 * share, rel=0.2)
    engine, plan, files = planned(folder, None)
    assert engine.look(plan, "tidy", files).height == 40_000


def test_a_flow_within_a_step_is_told_too(folder):
    inner = Flow(name="Inner", steps=(*FLOW.steps[:1], step("first", "take_rows", {"count": 9}, table="large")))
    outer = Flow(
        name="Outer",
        steps=(step("used", "bring_in_a_flow", {"flow": "inner", "block": True}),),
        blocks={"inner": inner},
    )
    _, plan, _ = planned(folder, Samples(folder / "samples", 1 << 20), outer)
    assert plan.steps["used"].problem is None, plan.steps["used"].problem
    assert [one.step.id for one in plan.samples_before(Ref("used"))] == ["large"]


def test_a_sample_is_made_anew_when_its_file_is_another_and_old_ones_go(folder, monkeypatch):
    monkeypatch.setattr("updraft.core.engine.samples._KEPT", 2)
    samples = Samples(folder / "samples", 1 << 20)
    path = folder / "large.csv"
    first = samples.of(path, 0.1, ReadOptions())
    assert samples.of(path, 0.1, ReadOptions()) == first
    for n in range(4):
        path.write_text(f"Code,Number\nGR-{n},{n}\n" * 20_000)
        made = samples.of(path, 0.1, ReadOptions())
        assert made.read_text().startswith(f"Code,Number\nGR-{n},")
    assert len(list((folder / "samples").iterdir())) == 2


def test_what_cannot_be_parted_is_looked_at_whole(folder):
    samples = Samples(folder / "samples", 1 << 20)
    wide = folder / "wide.csv"
    wide.write_text("Code,Number\n" + "GR-1,1\n" * 100_000, encoding="utf-16")
    assert samples.share([wide], ReadOptions()) == 1
    assert samples.share([folder / "large.csv"], ReadOptions()) < 1
    assert samples.share([folder / "large.csv", wide], ReadOptions()) == 1
    assert samples.share([folder / "small.csv"], ReadOptions()) == 1
    for whole in (ReadOptions(drop_empty=True), ReadOptions(skip=2_000)):
        assert samples.share([folder / "large.csv"], whole) == 1
    pl.DataFrame({"n": range(200_000)}).write_ipc_stream(folder / "stream.arrow")
    assert samples.share([folder / "stream.arrow"], ReadOptions()) == 1


def test_a_sample_that_cannot_be_kept_or_made_is_told(folder, monkeypatch):
    engine, plan, files = planned(folder, Samples(folder / "samples", 1 << 20))
    monkeypatch.setattr(Path, "replace", lambda *_: (_ for _ in ()).throw(OSError(errno.ENOSPC, "No space")))
    with pytest.raises(Problem, match="sample of it could not be kept") as told:
        engine.look(plan, "large", files)
    assert told.value.step == "large" and not list((folder / "samples").rglob("*.csv"))
    monkeypatch.undo()
    broken = folder / "broken.parquet"
    pl.DataFrame({"n": range(300_000)}).write_parquet(broken, compression="uncompressed")
    text = broken.read_bytes()
    broken.write_bytes(text[:50] + b"\xff" * 2_000 + text[2_050:])
    with pytest.raises(Problem, match="it cannot be read"):
        Samples(folder / "samples", 1 << 20).of(broken, 0.1, ReadOptions())
