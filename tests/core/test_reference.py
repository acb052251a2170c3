"""Names matched to a reference by the open Reconciliation Service API, and what it knows of them."""

import json
from urllib.parse import parse_qs

import polars as pl
import pytest

from tests.core.test_services import server
from updraft.core import Engine, Files, Flow, Problem, Step
from updraft.core.connect import Outside, WebService
from updraft.core.flow.decisions import Decision, Decisions
from updraft.core.steps import kinds
from updraft.standins import StandIns
from updraft.standins.botany import taxa


@pytest.fixture(scope="module")
def standins(tmp_path_factory):
    started = StandIns(tmp_path_factory.mktemp("standins"))
    yield started
    started.stop()


@pytest.fixture
def outside(standins):
    return Outside({"Plants": WebService(name="Plants", url=standins.botany)}, allow=standins.allow)


ID = {taxon.name: taxon.id for taxon in taxa().values()}
NAMES = [
    "Phaseolus coccineus L.",
    " Phaseolus coccineus",
    "Lycopersicon esculentum",
    "runner bean",
    "Zea mais",
    "Qwxz",
    None,
    "",
]


def look(outside, folder, kind: str, settings: dict, table: pl.DataFrame, decided: dict[str, str] | None = None):
    table.write_parquet(folder / "t.parquet")
    steps = (
        Step(id="t", kind="read_file", settings={"path": "t.parquet"}),
        Step(id="it", kind=kind, settings={"connection": "Plants", **settings}, inputs={"table": "t"}),
    )
    decisions = {"it": Decisions(Decision(key, answer) for key, answer in (decided or {}).items())}
    engine, files = Engine(), Files(folder, outside=outside, tokens=outside.answers and folder / "tokens")
    return engine.look(engine.plan(Flow(steps=steps, decisions=decisions), files), "it", files)


def match(outside, folder, settings=None, names=NAMES, decided=None, **columns):
    table = pl.DataFrame({"plant": pl.Series(names, dtype=pl.String), **columns})
    return look(outside, folder, "match_to_reference", {"column": "plant", **(settings or {})}, table, decided)


def test_sure_names_are_taken_and_doubtful_ones_are_asked(outside, tmp_path):
    found = match(outside, tmp_path)
    bean, tomato = ID["Phaseolus coccineus"], ID["Solanum lycopersicum"]
    assert found.frames[""]["Matched id"].to_list() == [bean, bean, tomato, bean, None, None, None, None]
    assert found.frames[""]["Matched name"].to_list()[2] == "Solanum lycopersicum"
    asked = found.frames["open"]
    assert asked["Name"].to_list() == ["Zea mais", "Qwxz"]
    assert asked["Proposal"].to_list() == [f"{ID['Zea mays']} Zea mays", ""]
    assert asked["Candidates"][0][0]["name"] == "Zea mays" and len(asked["Candidates"][1]) == 0
    assert found.frames["unmatched"].height == 4
    assert {fact.code: fact.count for fact in found.facts} == {"unmatched": 4, "open_questions": 2}


def test_what_people_decided_goes_before_what_the_reference_says(outside, tmp_path):
    decided = {
        "Zea mais": f"{ID['Zea mays']} Zea mays",
        "Qwxz": "(new)",
        "runner bean": "(left)",
        "Phaseolus coccineus": "LB-other Some bean",
    }
    found = match(outside, tmp_path, {"score": "Score"}, decided=decided)
    assert found.frames["open"].height == 0
    assert found.frames[""].select("Matched id", "Matched name").rows()[:6] == [
        (ID["Phaseolus coccineus"], "Phaseolus coccineus"),
        ("LB-other", "Some bean"),
        (ID["Solanum lycopersicum"], "Solanum lycopersicum"),
        (None, None),
        (ID["Zea mays"], "Zea mays"),
        (None, None),
    ]
    assert ("new", 1) in {(fact.code, fact.count) for fact in found.facts}
    held = match(outside, tmp_path, {"new": "hold"}, decided={"Qwxz": "(left)"})
    assert [fact.level for fact in held.facts if fact.code == "open_questions"] == ["hold"]


def test_the_kind_of_thing_evidence_and_the_score_decide(outside, tmp_path):
    genus = match(outside, tmp_path, {"type": "genus"}, ["Phaseolus", "Phaseolus coccineus"])
    assert genus.frames[""]["Matched id"].to_list() == [ID["Phaseolus"], None]
    told = {"evidence": [{"property": "family", "column": "family"}]}
    names, families = ["Zea mais", "Zea mais", "Zea mays"], ["Poaceae", "Fabaceae", None]
    found = match(outside, tmp_path, {**told, "least": 96}, names, family=families)
    assert found.frames[""]["Matched id"].to_list() == [None, None, ID["Zea mays"]]
    found = match(outside, tmp_path, {**told, "least": 90}, names, family=families)
    assert found.frames[""]["Matched id"].to_list() == [ID["Zea mays"], None, ID["Zea mays"]]
    assert found.frames["open"]["Name"].to_list() == ["Zea mais · Fabaceae"]


def test_more_names_than_go_into_one_question_come_back_in_their_order(outside, tmp_path):
    names = [taxon.name for taxon in taxa().values() if taxon.type == "species"][:150]
    found = match(outside, tmp_path, {"type": "species", "least": 100}, names[::-1])
    assert found.frames[""]["Matched name"].to_list() == names[::-1]


def test_fields_of_a_reference_come_by_identifier(outside, tmp_path):
    ids = [ID["Zea mays"], None, "LB-none", ID["Solanum lycopersicum"], ID["Zea mays"]]
    table = pl.DataFrame({"id": ids})
    fields = [{"property": "family"}, {"property": "synonyms", "name": "Also"}]
    found = look(outside, tmp_path, "add_reference_fields", {"column": "id", "fields": fields}, table)
    assert found.frames[""].columns == ["id", "Family", "Also"]
    assert found.frames[""]["Family"].to_list() == ["Poaceae", None, None, "Solanaceae", "Poaceae"]
    assert found.frames[""]["Also"].to_list()[3] == "Lycopersicon esculentum; Lycopersicon lycopersicum"
    assert [(fact.code, fact.count) for fact in found.facts] == [("unmatched", 1)]
    again = look(outside, tmp_path, "add_reference_fields", {"column": "id", "fields": fields[:1] * 2}, table)
    assert again.frames[""].columns == ["id", "Family", "Family 2"]
    first = look(
        outside, tmp_path, "add_reference_fields", {"column": "id", "fields": fields, "several": "first"}, table
    )
    assert first.frames[""]["Also"].to_list()[3] == "Lycopersicon esculentum"


@pytest.mark.parametrize(
    "settings, said",
    [
        ({"column": ""}, "none is chosen yet"),
        ({"column": "year"}, "of type whole"),
        ({"name": "plant"}, "a column of this name already"),
        ({"identity": " "}, "no name yet"),
        ({"name": "Matched id"}, "a column of this name already"),
        ({"evidence": [{"property": "family", "column": "lost"}]}, "not in the table"),
        ({"connection": "Lost"}, "there is none of this name"),
    ],
)
def test_settings_that_do_not_fit_are_told(outside, tmp_path, settings, said):
    with pytest.raises(Problem, match=said):
        match(outside, tmp_path, settings, year=[1] * len(NAMES))


def test_a_service_that_is_no_reference_or_answers_nonsense_is_told(tmp_path):
    about = {"name": "Plants", "identifierSpace": "https://plants.example/"}
    answers = {"/list": [], "/other": {"a": 1}, "/none": about, "/odd": about, "/half": about}
    said = {"/none": {}, "/odd": {"q0": {"result": [{"id": 1}]}}, "/half": {"q0": {"result": "no"}}}

    def answer(path, headers):
        place, _, body = path.partition(" ")
        return 200, {"Content-Type": "application/json"}, json.dumps(said[place] if body else answers[place]).encode()

    with server(answer) as (url, allow):
        for path in answers:
            outside = Outside({"Plants": WebService(name="Plants", url=url + path.lstrip("/"))}, allow=allow)
            with pytest.raises(Problem, match="does not answer as a reference does"):
                match(outside, tmp_path, names=["Zea mays"])


def test_too_many_names_are_not_asked_for(outside, tmp_path, monkeypatch):
    monkeypatch.setattr("updraft.core.steps.references.match_to_reference._MOST", 3)
    with pytest.raises(Problem, match="3 at most"):
        match(outside, tmp_path)


@pytest.mark.parametrize("rows", [[], [None, None]], ids=["no rows", "all empty"])
def test_a_table_without_rows_or_names_asks_nothing(outside, tmp_path, rows):
    found = match(outside, tmp_path, names=rows)
    assert found.frames[""]["Matched id"].to_list() == rows and found.frames["open"].height == 0
    table = pl.DataFrame({"id": pl.Series(rows, dtype=pl.String)})
    fields = {"column": "id", "fields": [{"property": "family"}]}
    assert look(outside, tmp_path, "add_reference_fields", fields, table).frames[""].rows() == [(None, None)] * len(
        rows
    )


def test_the_columns_that_are_read_are_enough(outside, tmp_path):
    told = {"column": "plant", "connection": "Plants", "evidence": [{"property": "family", "column": "family"}]}
    table = pl.DataFrame({"plant": ["Zea mais", "Zea mays"], "family": ["Poaceae", None], "other": [1, 2]})
    for kind, settings, made in (
        ("match_to_reference", {**told, "least": 90}, "Matched id"),
        (
            "add_reference_fields",
            {"connection": "Plants", "column": "plant", "fields": [{"property": "family"}]},
            "Family",
        ),
    ):
        chosen = kinds()[kind].Settings.model_validate(settings)
        needed = [name for name in table.columns if name in kinds()[kind].reads(chosen, frozenset([made]), "table")]
        assert "other" not in needed
        few = table.select(needed)
        if kind == "add_reference_fields":
            few, table = (
                few.with_columns(plant=pl.lit(ID["Zea mays"])),
                table.drop("family").with_columns(plant=pl.lit(ID["Zea mays"])),
            )
        whole, less = (look(outside, tmp_path, kind, settings, one).frames[""][made].to_list() for one in (table, few))
        assert whole == less and all(whole)


@pytest.mark.parametrize("size, times, answered", [(3, 1, True), (3, 99, False), (9, 1, True)])
def test_one_question_that_fails_costs_only_its_own_names_and_is_asked_again(tmp_path, size, times, answered):
    names = [f"bean {n}" for n in range(7)]
    asked: list[list[str]] = []
    left = {"times": times}

    def answer(path, headers):
        _, _, body = path.partition(" ")
        kind = {"Content-Type": "application/json"}
        if not body:
            return 200, kind, json.dumps({"name": "Plants", "identifierSpace": "x", "batchSize": size}).encode()
        queries = json.loads(parse_qs(body)["queries"][0])
        asked.append([one["query"] for one in queries.values()])
        if "bean 3" in asked[-1] and left["times"]:
            left["times"] -= 1
            return 500, kind, b"{}"
        found = {
            key: {"result": [{"id": one["query"], "name": one["query"], "score": 1, "match": True}]}
            for key, one in queries.items()
        }
        return 200, kind, json.dumps(found).encode()

    with server(answer) as (url, allow):
        outside = Outside({"Plants": WebService(name="Plants", url=url)}, allow=allow)
        found = match(outside, tmp_path, names=names, decided={"bean 0": "(new)"})
        ids = found.frames[""]["Matched id"].to_list()
    turns = [names[start : start + size] for start in range(1, 7, size)]
    assert asked[: len(turns)] == turns, "by three, and what is decided is not asked"
    assert ids[0] is None and ids[4:] == names[4:] and len(asked) == len(turns) + 1
    told = {fact.code: (fact.count, fact.text) for fact in found.facts}
    if answered:
        assert ids[1:4] == names[1:4] and "unanswered" not in told
    else:
        assert ids[1:4] == [None] * 3 and found.frames["open"]["Name"].to_list() == names[1:4]
        assert told["unanswered"][0] == 3 and "500" in told["unanswered"][1]


def test_where_answers_are_kept_a_decision_asks_the_reference_nothing(tmp_path):
    names = [f"bean {n}" for n in range(7)]
    asked: list[list[str]] = []

    def answer(path, headers):
        _, _, body = path.partition(" ")
        kind = {"Content-Type": "application/json"}
        if not body:
            return 200, kind, json.dumps({"name": "Plants", "identifierSpace": "x", "batchSize": 3}).encode()
        queries = json.loads(parse_qs(body)["queries"][0])
        asked.append([one["query"] for one in queries.values()])
        sure = {key: {"result": [{"id": "b", "name": "b", "score": 1, "match": False}]} for key in queries}
        return 200, kind, json.dumps(sure).encode()

    with server(answer) as (url, allow):
        outside = Outside({"Plants": WebService(name="Plants", url=url)}, answers=tmp_path / "kept", allow=allow)
        match(outside, tmp_path, names=names)
        assert asked == [names[:3], names[3:6], names[6:]]
        for decided in ({"bean 0": "(new)"}, {"bean 0": "(new)", "bean 4": "b b"}, {"bean 6": "(left)"}):
            found = match(outside, tmp_path, names=names, decided=decided)
            assert found.frames["open"]["Name"].to_list() == [name for name in names if name not in decided]
        assert len(asked) == 3
        match(outside, tmp_path, names=names[1:3], decided={"bean 1": "(new)", "bean 2": "(new)"})
        assert len(asked) == 3, "nobody needs them"
