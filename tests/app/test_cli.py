"""The command line, as a process would use it."""

import json

import jsonschema
import openpyxl
import pytest
from click.testing import CliRunner

from tests.people import people
from updraft.cli import main
from updraft.core import Flow, Step, dump
from updraft.demo import march_report


@pytest.fixture
def flow_file(world, tmp_path):
    for path in world.glob("*.xlsx"):
        (tmp_path / path.name).write_bytes(path.read_bytes())
    path = tmp_path / "march.updraft.json"
    path.write_text(dump(march_report()))
    return path


def call(*args: object):
    return CliRunner().invoke(main, [str(a) for a in args])


def test_run_says_as_json_what_every_step_did(flow_file, tmp_path):
    done = call("run", flow_file, "--out", tmp_path / "out", "--json")
    assert done.exit_code == 0, done.output
    report = json.loads(done.stdout)
    assert report["status"] == "ok" and report["error"] is None
    assert set(report["steps"][0]) >= {"id", "kind", "rows_in", "rows_out", "seconds", "facts", "warnings"}
    (output,) = report["outputs"]
    assert output["step"] == "write" and output["rows"] == openpyxl.load_workbook(output["path"]).active.max_row - 1


def test_run_on_another_file_by_input_and_by_parameter_gives_the_same(flow_file, world, tmp_path):
    by_input = call(
        "run", flow_file, "--input", f"orders={world / 'packet_orders_2026-04.xlsx'}", "--out", tmp_path / "a", "--json"
    )
    by_name = call("run", flow_file, "--set", "month=2026-04", "--out", tmp_path / "b", "--json")
    rows = [[step["rows_out"] for step in json.loads(done.stdout)["steps"]] for done in (by_input, by_name)]
    assert rows[0] == rows[1] and rows[0][0] == 1343
    assert (tmp_path / "b/packet_report_2026-04.xlsx").exists()


def test_run_for_a_person_names_steps_files_and_time(flow_file, tmp_path):
    done = call("run", flow_file, "--out", tmp_path / "out")
    assert done.exit_code == 0
    for text in ("Drop the totals row", "1,214 → 1,213 rows", "6 rows without a match", "Done in"):
        assert text in done.output


@pytest.mark.parametrize(
    ("args", "code", "said"),
    [
        (["nope.json"], 2, "not here"),
        (["FLOW", "--input", "orders"], 2, "no “=”"),
        (["FLOW", "--input", "order=x"], 2, "Its sources are: orders, growers"),
        (["FLOW", "--set", "moth=1"], 2, "did you mean “month”"),
        (["FLOW", "--set", "month=1999-01"], 2, "this file is not here"),
        (["FLOW", "--out", "/dev/null/x"], 1, "could not be written"),
    ],
)
def test_exit_codes(flow_file, args, code, said):
    done = call("run", *[flow_file if a == "FLOW" else a for a in args], "--json")
    assert done.exit_code == code, done.output
    assert said in json.loads(done.stdout)["error"]["text"]


def test_check(flow_file):
    assert call("check", flow_file).exit_code == 0
    flow_file.write_text(flow_file.read_text().replace('"kind": "tidy_text"', '"kind": "tidy_txt"'))
    found = call("check", flow_file, "--json")
    assert found.exit_code == 2
    assert json.loads(found.stdout)["problems"][0]["code"] == "unknown_kind"
    flow_file.write_text("{")
    assert call("check", flow_file).exit_code == 2


def test_show(world):
    shown = json.loads(call("show", world / "packet_orders_2026-03.xlsx", "--rows", 2, "--json").stdout)
    assert shown["rows"] == 1214 and len(shown["first"]) == 2
    assert {"name": "Packets", "kind": "whole"} in shown["columns"]
    assert shown["first"][0]["Order"] == "LM-20314"
    found = shown["detected"]
    assert found["sheet"] == {"value": "March", "reason": "the only sheet"} and found["skip"]["value"] == 3
    assert "titles" in found["skip"]["reason"] or "above" in found["skip"]["reason"]
    assert shown["evidence"]["Packets"] == "all 1,211 values are whole numbers"
    some = call("show", world / "packet_orders_2026-03.xlsx", "--columns", "Pa*", "--columns", "Order", "--json").stdout
    assert {c["name"] for c in json.loads(some)["columns"]} == set(json.loads(some)["first"][0]) == {"Order", "Packets"}
    assert set(json.loads(some)["evidence"]) == {"Order", "Packets"}
    said = call("show", world / "growers.xlsx").output
    assert "49 rows × 6 columns" in said and "format" in said and "packed like a workbook" in said


def test_steps_publish_their_schemas():
    kinds = {kind["kind"]: kind for kind in json.loads(call("steps", "--json").stdout)}
    assert kinds["look_up"]["inputs"] == ["table", "reference"] and kinds["look_up"]["outputs"] == [
        "",
        "unmatched",
        "shared",
    ]
    for step in march_report().steps:
        jsonschema.validate(step.settings, kinds[step.kind]["settings"])


@pytest.fixture
def sowing(tmp_path):
    """A flow that uses the flow file beside it and whose pivot was settled for two hubs."""
    (tmp_path / "a.csv").write_text("Lot,Hub,Grams\n1,Fen,5\n2,Dale,7\n3,Moor,1\n")
    inner = {
        "updraft": 2, "name": "Heavy lots",
        "parameters": [{"name": "least", "kind": "number", "value": "2"}],
        "steps": [
            {"id": "lots", "kind": "read_file", "settings": {"path": "a.csv"}},
            {"id": "heavy", "kind": "keep_rows", "inputs": {"table": "lots"}, "settings": {"by": "rule", "rule": {
                "of": [{"column": "Grams", "test": "at_least", "value": "{params.least}"}]}}},
        ],
    }  # fmt: skip
    outer = {
        "updraft": 2,
        "steps": [
            {"id": "lots", "kind": "read_file", "settings": {"path": "a.csv"}},
            {"id": "heavy", "kind": "use_a_flow", "inputs": {"table": "lots"}, "settings": {"flow": "heavy.updraft.json"}},
            {"id": "wide", "kind": "rows_to_columns", "inputs": {"table": "heavy"},
             "settings": {"names": "Hub", "values": [{"figure": "sum", "column": "Grams"}], "new": "hold"}},
            {"id": "out", "kind": "write_file", "inputs": {"table": "wide"}, "settings": {"name": "wide.csv"}},
        ],
        "decisions": {"wide": [["Fen", "take", "", ""]]},
    }  # fmt: skip
    (tmp_path / "heavy.updraft.json").write_text(json.dumps(inner))
    (tmp_path / "sowing.updraft.json").write_text(json.dumps(outer))
    return tmp_path / "sowing.updraft.json"


def test_a_run_is_held_tried_and_let_go_by_answers_from_csv(sowing, tmp_path):
    out = tmp_path / "out"
    held = call("run", sowing, "--out", out)
    assert held.exit_code == 3 and "Held: “Rows to columns”: 1 name of Hub was not there before: Dale" in held.output
    assert not out.exists() or not list(out.iterdir())
    assert call("decisions", sowing, "--step", "wide", "--open").output == "Name,Rows\nDale,1\n"
    (tmp_path / "answers.csv").write_text("answer,key\nleave out,Dale\n")
    taken = call("decisions", sowing, "--step", "wide", "--take", tmp_path / "answers.csv")
    assert taken.exit_code == 0 and "Decided 1 answer" in taken.output
    assert "Dale,leave out" in call("decisions", sowing, "--step", "wide").output
    tried = call("run", sowing, "--out", out, "--dry")
    assert tried.exit_code == 0 and "Would write wide.csv (1 row)" in tried.output and not list(out.glob("*"))
    report = json.loads(call("run", sowing, "--out", out, "--json").output)
    assert report["status"] == "ok" and (out / "wide.csv").read_text() == "Fen\n5\n"
    assert [step["id"] for step in report["steps"][1]["turns"][0]["steps"]] == ["heavy"]
    again = call("run", sowing, "--out", out, "--dry")
    assert "in place of the file of" in again.output and (out / "wide.csv").read_text() == "Fen\n5\n"


def test_doubtful_matches_are_listed_as_a_file_that_a_spreadsheet_takes(tmp_path):
    (tmp_path / "lots.csv").write_text("to,kg\n=Fenn,4\nCold,5\n")
    (tmp_path / "hubs.csv").write_text("hub,code\n=Fen,A\n")
    fields = [{"column": "to", "reference": "hub"}]
    steps = [{"id": name, "kind": "read_file", "settings": {"path": f"{name}.csv"}} for name in ("lots", "hubs")] + [
        {
            "id": "met",
            "kind": "look_up_alike",
            "settings": {"fields": fields, "bring": [{"column": "code"}]},
            "inputs": {"table": "lots", "reference": "hubs"},
        }
    ]
    flow = tmp_path / "met.updraft.json"
    flow.write_text(json.dumps({"updraft": 1, "name": "Met", "steps": steps}))
    head, line = call("decisions", flow, "--step", "met", "--open").output.splitlines()
    assert head == "Name,Rows,Proposal,Why,Fields"
    assert line.startswith("'=Fenn,1,'=Fen,88.9 %,")


def test_what_is_wrong_with_decisions_and_used_flows_is_said(sowing, tmp_path):
    assert "no such step" in call("decisions", sowing, "--step", "x").output
    (tmp_path / "bad.csv").write_text("name\nDale\n")
    assert "no column “key”" in call("decisions", sowing, "--step", "wide", "--take", tmp_path / "bad.csv").output
    text = sowing.read_text()
    sowing.write_text(text.replace("heavy.updraft.json", "gone.updraft.json"))
    checked = call("check", sowing)
    assert checked.exit_code == 2 and "gone.updraft.json" in checked.output
    sowing.write_text(text.replace('"flow": "heavy.updraft.json"', '"flow": "heavy.updraft.json", "revision": 3'))
    assert "a file has no revisions" in call("check", sowing).output
    assert call("run", sowing, "--set", "x=1").exit_code == 2


def test_a_table_wider_than_the_terminal_is_shown_in_blocks(tmp_path, monkeypatch):
    monkeypatch.setenv("COLUMNS", "80")
    names = [f"Lot {n} {'x' * 60 if n == 2 else ''}".strip() for n in range(50)]
    (tmp_path / "wide.csv").write_text(",".join(names) + "\n" + ",".join(["12345"] * 50) + "\n")
    said = call("show", tmp_path / "wide.csv").output
    assert all(len(line) <= 80 for line in said.splitlines() if line.startswith(("│", "┃")))
    assert "Lot 39" in said and "Lot 40" not in said and "10 columns are not shown" in said and "--columns" in said
    assert "Lot 45" in call("show", tmp_path / "wide.csv", "--columns", "Lot 4*").output
    wrong = call("show", tmp_path / "wide.csv", "--columns", "Lott 7")
    assert wrong.exit_code == 1 and "none of this name" in wrong.output and "Did you mean “Lot 7”?" in wrong.output


def test_a_flow_that_somebody_sent_reads_what_lies_beside_it_and_what_the_command_names(tmp_path):
    """Neither a path, nor a link, nor a used flow leads out of its folder."""
    sent, own = tmp_path / "sent", tmp_path / "own"
    for folder in (sent, own):
        folder.mkdir()
    (own / "grants.csv").write_text("Garden,Grant\nNorth Fen,120\n")
    (own / "theirs.updraft.json").write_text(
        dump(Flow(steps=(Step(id="in", kind="read_file", settings={"path": "grants.csv"}),)))
    )
    (sent / "link.csv").symlink_to(own / "grants.csv")
    write = Step(id="out", kind="write_file", settings={"name": "seen.csv"}, inputs={"table": "in"})
    flow = sent / "sent.updraft.json"

    def run(kind: str, settings: dict, *more: object):
        flow.write_text(dump(Flow(steps=(Step(id="in", kind=kind, settings=settings), write))))
        return call("run", flow, "--out", tmp_path / "out", *more)

    for path in ("../own/grants.csv", str(own / "grants.csv"), "link.csv", "../own/*.csv"):
        refused = run("read_file", {"path": path})
        assert refused.exit_code == 2 and "--files" in refused.output, refused.output
        assert call("check", flow).exit_code == 2 and call("check", flow, "--files", own).exit_code == 0
        assert run("read_file", {"path": path}, "--files", own).exit_code == 0
    used = {"flow": "../own/theirs.updraft.json"}
    assert "lies outside" in run("bring_in_a_flow", used).output
    assert run("bring_in_a_flow", used, "--files", own).exit_code == 0
    assert run("read_file", {"path": "../own/grants.csv"}, "--input", f"in={own / 'grants.csv'}").exit_code == 0


def test_a_table_larger_than_the_memory_is_computed_by_parts(tmp_path, monkeypatch):
    rows = 500_000
    text = "\n".join(
        f"Fen Pea,{n % 97},a note of no use that makes the file long enough for parts {n}" for n in range(rows)
    )
    (tmp_path / "lots.csv").write_text(f"Variety,Packets,Note\n{text}\n")
    figures = [{"figure": "sum", "column": "Packets"}, {"figure": "rows"}]
    steps = [
        {"id": "r", "kind": "read_file", "settings": {"path": "lots.csv"}},
        {"id": "s", "kind": "summarise", "settings": {"by": ["Variety"], "figures": figures}, "inputs": {"table": "r"}},
        {"id": "w", "kind": "write_file", "settings": {"name": "sums.csv"}, "inputs": {"table": "s"}},
    ]
    (tmp_path / "f.updraft.json").write_text(dump(Flow.model_validate({"steps": steps})))
    call = ["run", str(tmp_path / "f.updraft.json"), "--out", str(tmp_path)]
    expected = sum(n % 97 for n in range(rows))
    for memory, said in ((None, ""), ("64MB", ", by parts of about 20,000 rows")):
        if memory:
            monkeypatch.setenv("UPDRAFT_MEMORY", memory)
        done = CliRunner().invoke(main, call)
        assert done.exit_code == 0 and done.output.rstrip().endswith(f"s{said}"), done.output
        assert (tmp_path / "sums.csv").read_text().splitlines()[1] == f"Fen Pea,{expected},{rows}"
    wrong = CliRunner().invoke(main, [*call, "--memory", "plenty"])
    assert wrong.exit_code == 2 and "it is no size" in wrong.output


def test_link_finds_the_same_people_and_says_by_what(tmp_path):
    lists = people(400, seed=9)
    left, right = tmp_path / "exchange.csv", tmp_path / "hub.csv"
    lists.left.write_csv(left)
    lists.right.rename({"id": "number"}).write_csv(right)
    done = call("link", left, right, "--key", "id=number", "--json")
    found = {(pair["left"], pair["right"]) for pair in json.loads(done.stdout)}
    assert done.exit_code == 0 and len(found & lists.same) >= 0.97 * max(len(found), len(lists.same))
    assert done.stderr.startswith("By given name (spelling, ") and "born (digits, " in done.stderr
    by_born = call(
        "link", left, right, "--key", "id=number", "--field", "born:digits:2", "--field", "surname", "--json"
    )
    assert by_born.exit_code == 0 and by_born.stderr == "By born (digits, 2), surname (spelling, 1); at least 75 %\n"
    assert all(75 <= pair["score"] <= 100 for pair in json.loads(by_born.stdout))


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["--key", "nobody"], "nobody"),
        (["--key", "id", "--field", "surname:taste"], "there is no measure “taste”"),
        (["--key", "id", "--field", "surname:spelling:-1"], "“-1” is no weight"),
        (["--key", "id", "--field", "sur"], "sur"),
    ],
)
def test_link_says_what_is_wrong_with_the_call(tmp_path, options, said):
    people(10, seed=1).left.write_csv(tmp_path / "a.csv")
    done = call("link", tmp_path / "a.csv", tmp_path / "a.csv", *options, "--json")
    assert done.exit_code == 2 and said in done.stdout + done.stderr
    assert "went wrong" not in done.stdout + done.stderr


def test_compare_says_what_differs_and_ends_by_it(tmp_path):
    (tmp_path / "asked.csv").write_text("no,grams,hub\n1,100,Fen\n2,50,Moor\n3,7,Ash\n")
    (tmp_path / "sent.csv").write_text("number,grams,hub\n1,104,fen\n2,80,Moor\n4,1,Ash\n")
    both = (tmp_path / "asked.csv", tmp_path / "sent.csv", "--key", "no=number")
    done = call("compare", *both, "--within", "grams:5%", "--ignore-case", "--json")
    told = json.loads(done.stdout)
    assert done.exit_code == 3 and {k: told[k] for k in ("same", "different", "only_here", "only_there")} == {
        "same": 1, "different": 1, "only_here": 1, "only_there": 1
    }  # fmt: skip
    assert next((d["no"], d["Column"], d["Difference"]) for d in told["differences"]) == (2, "grams", -30)
    assert [c["Differ"] for c in told["by_column"]] == [1, 0]
    said = call("compare", *both, "--column", "hub")
    assert said.exit_code == 3 and "1 row the same, 1 different, 1 only in asked.csv, 1 only in sent.csv" in said.stdout
    assert call("compare", both[0], both[0], "--key", "no").exit_code == 0
    (tmp_path / "twice.csv").write_text("no,grams\n1,2\n1,3\n")
    twice = call("compare", tmp_path / "twice.csv", tmp_path / "twice.csv", "--key", "no")
    assert twice.exit_code == 0 and "2 rows of this table share their key; the first of them" in twice.stdout
    for wrong, words in (("grams:much", "“much” is no amount"), ("5%", "go with a column"), ("hub:2", "of type text")):
        bad = call("compare", *both, "--within", wrong)
        assert bad.exit_code == 2 and words in bad.output
