"""The law of the page: what it shows as fresh is what a run gives, and where a run would fail the page says why."""

import csv
import io
from datetime import date

import polars as pl
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.app.conftest import Client
from tests.app.test_web import settled
from tests.steps import COLUMNS, LAST, ROWS, STEPS
from updraft.core import Files, plan, run

READING = st.sampled_from(
    [
        {},
        {"header": "none"},
        {"skip": 1},
        {"drop_empty": True},
        {"delimiter": ";"},
        {"as_text": ["n"]},
        {"empty": ["x"]},
    ]
)
EDITS = st.one_of(
    st.tuples(st.just("add"), STEPS, st.integers(0, 9), st.booleans()),
    st.tuples(st.just("set"), STEPS, st.integers(0, 9)),
    st.tuples(st.just("remove"), st.integers(0, 9)),
    st.tuples(st.just("switch"), st.integers(0, 9), st.booleans()),
    st.tuples(st.just("move"), st.integers(0, 9), st.integers(0, 9)),
    st.tuples(st.just("connect"), st.integers(0, 9), st.integers(0, 9)),
    st.tuples(st.just("read"), READING),
    st.tuples(st.just("file"), ROWS, st.sampled_from([COLUMNS, ["a", "c", "n"], ["a", "B", "c", "n"]])),
    st.tuples(st.just("undo")),
)


def text_of(rows, columns) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(columns)
    writer.writerows([dict(zip(COLUMNS, row, strict=True)).get(c.lower()) for c in columns] for row in rows)
    return out.getvalue().encode()


class Person:
    """Somebody who changes a flow in the page. What the app refuses is left, as there."""

    def __init__(self, client: Client, rows, steps, last) -> None:
        self.client, self.made, self.file = client, 0, "t.csv"
        self.flow = client.flow()
        self.bring(rows, COLUMNS)
        self.edit({"op": "add", "step": {"id": "t", "kind": "read_file", "settings": {"path": self.file}}})
        before = "t"
        for kind, chosen in [*steps, *([last] if last else []), ("write_file", {"name": "out.parquet"})]:
            before = self.add(kind, chosen, before, True)

    def bring(self, rows, columns) -> None:
        taken = self.client.upload(self.flow, "t.csv", text_of(rows, columns))
        assert taken.status_code in (201, 422), taken.json
        self.file = taken.json.get("path", self.file)

    def edit(self, edit: dict) -> None:
        assert self.client.post(f"/api/flows/{self.flow}/edits", {"edits": [edit]}).status_code in (200, 422)

    def add(self, kind: str, chosen: dict, after: str, insert: bool) -> str:
        self.made += 1
        step = {"id": f"s{self.made}", "kind": kind, "settings": chosen}
        if kind == "look_up":
            step["inputs"] = {"reference": "t"}
        self.edit({"op": "add", "step": step, "after": after, "insert": insert})
        return step["id"]

    def steps(self) -> list[str]:
        return list(self.client.call("GET", f"/api/flows/{self.flow}").json["steps"])

    def act(self, what: str, *how) -> None:
        steps = self.steps()
        if not steps:
            return
        which = [steps[number % len(steps)] for number in how if type(number) is int]
        if what == "add":
            self.add(*how[0], which[0], how[2])
        elif what == "set" and which[0] != "t":
            self.edit({"op": "set", "id": which[0], "settings": how[0][1]})
        elif what == "remove" and which[0] != "t":
            self.edit({"op": "remove", "id": which[0]})
        elif what == "switch":
            self.edit({"op": "switch", "id": which[0], "enabled": how[1]})
        elif what == "move":
            self.edit({"op": "move", "id": which[0], "after": which[1]})
        elif what == "connect":
            self.edit({"op": "connect", "id": which[0], "port": "table", "source": which[1]})
        elif what == "read":
            self.edit({"op": "set", "id": "t", "settings": {"path": self.file, **how[0]}})
        elif what == "file":
            self.bring(*how)
            self.edit({"op": "set", "id": "t", "settings": {"path": self.file}})
        elif what == "undo":
            self.client.post(f"/api/flows/{self.flow}/undo")


@given(ROWS, st.lists(STEPS, min_size=1, max_size=3), LAST, st.lists(EDITS, min_size=1, max_size=5))
@example([("x", "y", "1", 1)], [("tidy_text", {"accents": True})], None, [("switch", 0, False)])
@example(
    [("x", "y", "1", 1)],
    [("choose_columns", {"columns": [{"column": "a"}], "others": "drop"})],
    None,
    [("read", {"header": "none"})],
)
@settings(max_examples=25)
def test_what_the_page_shows_is_what_a_run_gives(client, tmp_path, rows, steps, last, edits):
    person = Person(client, rows, steps, last)
    for edit in edits:
        person.act(*edit)
        agree(client, person.flow, tmp_path)


def agree(client: Client, flow: str, tmp_path) -> None:
    shown = settled(client, flow)["steps"]
    saved = client.studio.flows.get(flow).flow
    files = Files(client.studio.folders.files(flow), today=date.today)
    report = run(plan(saved, files), files, tmp_path / "out")
    done = {step.id: step for step in report.steps}
    told = {step: found["status"] for step, found in shown.items()}
    assert set(told.values()) <= {"fresh", "problem", "blocked", "off", "unfinished"}, told
    if report.error is not None:
        if report.error.code == "empty_flow":
            assert not shown
            return
        assert report.error.step, f"{report.error} is said of no step"
        page = shown[report.error.step]
        assert page["problem"] and page["problem"]["text"] == str(report.error), (page["status"], str(report.error))
    else:
        assert report.status == "ok" and set(told.values()) <= {"fresh", "off"}, (report.status, told)
    for step, found in shown.items():
        if found["status"] == "fresh" and step in done:
            assert found["rows"] == done[step].rows_out, step
            assert [fact["text"] for fact in found["facts"]] == [fact.text for fact in done[step].facts], step
    for output in report.outputs:
        step = next(s for s in saved.steps if s.kind == "write_file" and s.settings["name"] == output.path.name)
        table = client.studio.engine.known(client.studio.plan(flow, saved), step.id)
        assert pl.read_parquet(output.path).equals(table.lazy().collect())
