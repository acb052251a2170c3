"""Findings: planted defects are found and repaired, clean tables stay quiet, and no table makes the search fail."""

from datetime import date

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.planting import messy_table
from tests.scoring import measure
from updraft.core.insight import apply_repair, find, repair_all
from updraft.core.insight.findings import CODES
from updraft.core.insight.findings import finding as finding_of
from updraft.core.insight.findings import repair as repairing
from updraft.core.insight.findings.model import Finding
from updraft.core.insight.findings.safe import harm_done
from updraft.core.steps.conditions import Rule, compiled
from updraft.demo.names import HUBS, VARIETIES


def test_planted_defects_are_found_and_clean_tables_stay_quiet():
    """A tenth of what `make bench-findings` looks at: each kind of defect once, each shape of clean table once."""
    score = measure(range(33), range(8))
    told = "\n".join(score.misses)
    assert score.recall >= 0.95 and score.precision >= 0.9, told
    for group, planted in score.planted.items():
        assert score.found[group] >= 0.85 * planted, told
        assert score.right[group] >= 0.8 * score.said[group], told
    assert score.restored >= 0.9 * score.cells, told
    assert max(score.alarms) <= 1, told


def test_a_unit_that_nobody_knows_is_said_as_it_is_written():
    table = pl.DataFrame(
        {"Price": [f"{n * 13 % 90 + 5},50 TL" for n in range(40)], "Sack": [f"{n + 5} KG" for n in range(40)]}
    )
    assert {f.sentence.partition(": ")[2] for f in find(table)} == {"TL", "kg"}


def test_what_is_told_first_is_told_at_the_end_or_explained(monkeypatch):
    monkeypatch.setattr(finding_of, "_FIRST_WORD", 0.0)
    monkeypatch.setattr(finding_of, "_NEXT_WORD", 0.0)
    told: list[list[str]] = []
    table = pl.DataFrame(
        {
            name: [*values, *values[:3]]
            if name != "Hub"
            else [f"{v}  " if n % 9 == 4 else "N/A" if n % 9 == 5 else v for n, v in enumerate([*values, *values[:3]])]
            for name, values in orders().items()
        }
    )
    last = {found.code for found in find(table, told=lambda some: told.append([found.code for found in some]))}
    assert len(told) > 1 and [len(some) for some in told] == sorted(map(len, told))
    echoes = {code for causes in finding_of._ECHOES.values() for code in causes}
    assert all(set(some) <= last | echoes for some in told) and set(told[-1]) >= last


def codes(frame: pl.DataFrame, others=None) -> list[str]:
    return [finding.code for finding in find(frame, others)]


def orders(rows: int = 120) -> dict:
    return {
        "Order": [f"LM-{1000 + 7 * n}" for n in range(rows)],
        "Hub": [HUBS[n * 7 % 5] for n in range(rows)],
        "Packets": [3 + n * 37 % 90 for n in range(rows)],
        "Day": [date(2026, 3, 1 + n % 28) for n in range(rows)],
    }


def test_the_first_column_s_finding_is_told_before_the_next_column_is_looked_at(monkeypatch):
    monkeypatch.setattr(finding_of, "_FIRST_WORD", 0)
    monkeypatch.setattr(finding_of, "_NEXT_WORD", 0)
    columns = {name: [f"{name} {n} " if n % 3 else f"{name} {n}" for n in range(40)] for name in ("hub", "lot", "who")}
    told: list[set[str]] = []
    find(pl.DataFrame(columns), told=lambda some: told.append({name for one in some for name in one.columns}))
    assert told[:3] == [{"hub"}, {"hub", "lot"}, {"hub", "lot", "who"}]


def test_a_total_that_does_not_add_up_is_told_as_that_and_a_value_called_total_is_left_alone():
    table = orders()
    wrong = {
        **table,
        "Order": [*table["Order"], "Total"],
        "Hub": [*table["Hub"], None],
        "Packets": [*table["Packets"], 1],
        "Day": [*table["Day"], None],
    }
    [finding] = find(pl.DataFrame(wrong))
    assert finding.code == "totals" and "does not add up" in finding.sentence and finding.rows.to_list() == [120]
    assert finding.rule["of"] == [{"column": "Order", "test": "contains", "value": "total", "ignore_case": True}]
    assert (
        codes(pl.DataFrame({**table, "Hub": ["Total Seeds Yard" if n % 3 else "Coldwater" for n in range(120)]})) == []
    )


def test_the_order_of_day_and_month_is_decided_by_evidence_or_left_to_a_person():
    days = [f"{1 + n % 12:02d}/{1 + n % 9:02d}/2026" for n in range(60)]
    table = {**orders(60), "Day": days}
    [open_] = find(pl.DataFrame(table))
    assert open_.code == "date_order_open" and open_.open and len(open_.repairs) == 2
    one, other = (apply_repair(pl.DataFrame(table), repair)[0]["Day"][1] for repair in open_.repairs)
    assert {one, other} == {date(2026, 2, 2)} or one != other
    kept, done, left, _ = repair_all(pl.DataFrame(table))
    assert kept["Day"].to_list() == days and not done and [f.code for f in left] == ["date_order_open"]
    decided = find(pl.DataFrame({**table, "Day": [*days[:-1], "25/03/2026"]}))
    assert [f.code for f in decided] == ["dates_as_text"] and "DD/MM/YYYY" in decided[0].repairs[0].sentence


def test_findings_below_a_repeated_header_rest_on_the_kinds_without_it():
    table = orders()
    texts = {name: [str(value) for value in values] for name, values in table.items()}
    texts["Packets"][5] = "-12"
    frame = pl.DataFrame({name: [*values[:60], name, *values[60:]] for name, values in texts.items()})
    found = {f.code: f for f in find(frame)}
    assert set(found) == {"repeated_header", "negatives"}
    assert found["negatives"].rows.to_list() == [5]
    mended, _ = apply_repair(frame, found["negatives"].repairs[0])  # drops the header and sets the kind first
    assert mended.height == 120 and mended["Packets"][5] == 12


def test_keys_are_compared_with_the_tables_they_must_meet():
    table = pl.DataFrame({**orders(), "Hub": [HUBS[n % 5].upper() for n in range(120)]})
    hubs = pl.DataFrame({"Name": HUBS, "Van": ["a", "b", "c", "d", "e"]})
    [finding] = find(table, {"Hubs": hubs})
    assert finding.code == "keys_that_miss" and finding.sentence == "5 values of Hub miss Name of “Hubs” by case alone"
    mended, effect = apply_repair(table, finding.repairs[0])
    assert set(mended["Hub"]) == set(HUBS) and effect == "120 cells changed"
    assert find(mended, {"Hubs": hubs}) == []


@pytest.mark.parametrize(
    ("values", "numbers"),
    [
        (["€ 1,200", "€ 5", "(€ 7)", "€ 1.5", "€ 9"], [1200, 5, -7, 1.5, 9]),
        (["12 g", "1,5 kg", "7 g", "9 g", "11 g"], [12, 1500, 7, 9, 11]),
        (["1.234,50", "7,25", "8", "9,5", "-3,75"], [1234.5, 7.25, 8, 9.5, -3.75]),
        (["5 %", "12 %", "7-", "9 %", "50 %"], [0.05, 0.12, -7, 0.09, 0.5]),
    ],
)
def test_numbers_are_read_as_they_are_dressed(values, numbers):
    table = pl.DataFrame({"Lot": [f"L{n}" for n in range(5)], "Amount": values})
    [finding] = find(table)
    assert apply_repair(table, finding.repairs[0])[0]["Amount"].to_list() == numbers


CELL = st.one_of(
    st.none(),
    st.sampled_from(
        [
            "",
            " ",
            "n/a",
            "Total",
            "a",
            "A ",
            "1",
            "01",
            "1,5",
            "12 kg",
            "€ 5",
            "2026-03-01",
            "3/4/2026",
            "a; b",
            "x/1",
            "Ã©",
            "\x07",
            "(3)",
            "9999",
        ]
    ),
    st.text(max_size=12),
)


def true_of(table: pl.DataFrame, finding: Finding, *, rule: bool = True) -> None:
    """What a finding says of rows and columns holds in the table, and its rule chooses just its rows."""
    rows = finding.rows.to_list()
    assert finding.code in CODES and finding.sentence and finding.why and finding.count >= 0
    assert set(finding.columns) <= set(table.columns), finding.key
    assert rows == sorted(set(rows)) and all(row < table.height for row in rows), finding.key
    if finding.rule and rule:
        marked = table.select(compiled(Rule.model_validate(finding.rule), table.schema)).to_series()
        assert marked.arg_true().to_list() == rows, finding.key


@settings(max_examples=30)  # each takes every repair of a table
@given(st.lists(st.tuples(CELL, CELL, CELL, st.one_of(st.none(), st.integers(-9, 9999), st.floats())), max_size=30))
def test_no_table_makes_it_fail_and_every_repair_can_be_taken(rows):
    table = pl.DataFrame(
        {name: [row[n] for row in rows] for n, name in enumerate(["Name", "Code", "Sown", "Grams"])},
        schema_overrides={"Name": pl.String, "Code": pl.String, "Sown": pl.String, "Grams": pl.Float64},
        strict=False,
    )
    for finding in find(table):
        true_of(table, finding, rule=False)
        for repair in finding.repairs:
            apply_repair(table, repair)
    repair_all(table)


@pytest.mark.parametrize(
    "table",
    [
        pl.DataFrame({"a": [[1], [2, 3]] * 20, "b": [{"x": 1}, {"x": 2}] * 20, "c": ["x", "y"] * 20}),
        pl.DataFrame(
            {
                "a": [None] * 50,
                "b": pl.Series([None] * 50, dtype=pl.String),
                "c": pl.Series([None] * 50, dtype=pl.Int64),
            }
        ),
        pl.DataFrame({"a": ["x"], "b": [1], "c": [None]}),
        pl.DataFrame({f"c{n}": [n, n + 1, n + 2] for n in range(2000)}),
        pl.DataFrame({"a": ["y" * 1_000_000, *(f"v{n}" for n in range(60))], "n": range(61)}),
        pl.DataFrame(
            {
                "n": [float("inf"), float("-inf"), float("nan"), *map(float, range(60))],
                "m": [1e308, -1e308, *map(float, range(61))],
            }
        ),
        pl.DataFrame({"z": pl.Series([], dtype=pl.String)}),
        pl.DataFrame(),
    ],
    ids=["nested", "all empty", "one row", "2,000 columns", "a long cell", "infinities", "no rows", "no columns"],
)
def test_odd_tables_are_looked_at_like_others(table):
    found = find(table)
    assert len({finding.key for finding in found}) == len(found)
    for finding in found:
        true_of(table, finding)
        for repair in finding.repairs:
            mended, said = apply_repair(table, repair)
            assert said and (mended.height, mended.width) != (0, 0), finding.key


def test_what_was_dismissed_is_not_repaired():
    table = pl.DataFrame(
        {**orders(), "Hub": [f"{hub} " if n % 9 == 0 else hub for n, hub in enumerate(orders()["Hub"])]}
    )
    [finding] = find(table)
    assert repair_all(table, skip=frozenset([finding.key]))[0].equals(table)
    assert set(repair_all(table)[0]["Hub"]) == set(HUBS)


def test_real_names_alike_are_no_slips_and_rare_slips_are():
    varieties = [VARIETIES[n % 12] for n in range(240)]
    assert "look_alikes" not in codes(pl.DataFrame({"Variety": varieties, "n": range(240)}))
    varieties[7] = "Chiogia"
    assert "look_alikes" in codes(pl.DataFrame({"Variety": varieties, "n": range(240)}))


CELLS = st.one_of(
    st.none(),
    st.sampled_from(["n/a", "0123", "+44 20", " Hub", "Hub", "hub", "12", "1,5", "2026-03-01", "-", "Total", "x;y"]),
)


@given(st.lists(st.tuples(CELLS, CELLS, st.one_of(st.none(), st.integers(-9, 9))), min_size=4, max_size=40))
def test_repairs_without_a_choice_empty_nothing_and_lose_no_row(rows):
    table = pl.DataFrame(rows * 3, schema={"a": pl.String, "b": pl.String, "n": pl.Int64}, orient="row")
    mended, done, _, _ = repair_all(table)
    filled = {name: table[name].drop_nulls().len() for name in table.columns}
    if mended.height == table.height:
        assert all(mended[name].drop_nulls().len() == filled[name] for name in mended.columns)
    else:
        assert {d.finding.code for d in done} & {"duplicate_rows", "totals"}
    for name in ("a", "b"):
        if name in mended.columns and not isinstance(mended.schema[name], pl.String):
            assert not table[name].str.contains(r"^\s*(\+|0\d)").any(), "codes stay text"


def test_what_could_harm_is_open_and_left():
    base = orders()
    hubs = [f"{hub} " if n == 3 else hub for n, hub in enumerate(base["Hub"])]
    for column, values, code in [
        ("Hub", ["n/a" if n % 9 == 0 else hub for n, hub in enumerate(hubs)], "placeholders"),
        ("Hub", [hub.upper() if n % 9 == 0 else hub for n, hub in enumerate(hubs)], "variants"),
        ("Packets", [-12 if n == 5 else p for n, p in enumerate(base["Packets"])], "negatives"),
    ]:
        table = pl.DataFrame({**base, column: values})
        found = {f.code: f for f in find(table)}
        assert found[code].open
        mended, done, left, _ = repair_all(table)
        assert code in {f.code for f in left} and code not in {d.finding.code for d in done}
        assert mended.height == table.height
        assert code not in {f.code for f in repair_all(table, open_too=True)[2]}


def test_duplicates_up_to_blanks_go_only_once_the_blanks_are_gone():
    base = orders()
    again = {name: [*values, values[7]] for name, values in base.items()}
    again["Hub"][-1] += " "
    mended, done, _, _ = repair_all(pl.DataFrame(again))
    assert [d.finding.code for d in done] == ["stray_blanks", "duplicate_rows"] and mended.height == len(base["Hub"])


@pytest.mark.parametrize(
    ("code", "after", "harmless"),
    [
        ("stray_blanks", {"Lot": ["01", "2", "2"], "Grams": ["1", "2", "2"]}, True),
        ("stray_blanks", {"Lot": ["01", None, "2"], "Grams": ["1", "2", "2"]}, False),
        ("numbers_as_text", {"Lot": ["01", "2", "2"], "Grams": [1, 2, 2]}, True),
        ("numbers_as_text", {"Lot": [1, 2, 2], "Grams": ["1", "2", "2"]}, False),
        ("duplicate_rows", {"Lot": ["01", "2"], "Grams": ["1", "2"]}, True),
        ("duplicate_rows", {"Lot": ["2"], "Grams": ["2"]}, False),
        ("stray_blanks", {"Lot": ["01", "2"], "Grams": ["1", "2"]}, False),
        ("blank_columns", {"Lot": ["01", "2", "2"]}, False),
        ("stray_blanks", {"Lot": ["01", "2", "2", "3"], "Grams": ["1", "2", "2", "3"]}, False),
    ],
)
def test_what_a_repair_did_is_judged_by_the_table(code, after, harmless):
    before = pl.DataFrame({"Lot": ["01", "2", "2"], "Grams": ["1", "2", "2"]})
    assert (harm_done(Finding(code, (), 1, "", ""), before, pl.DataFrame(after)) == "") is harmless


def test_cells_of_blanks_alone_become_empty_among_what_is_repaired_without_a_look():
    notes = ["late", " ", "", "\u00a0", " wet ", "dry", "late", "dry"] * 6
    mended = repair_all(pl.DataFrame({"Lot": [f"L{n}" for n in range(48)], "Note": notes}))
    assert set(mended.table["Note"]) == {"late", None, "wet", "dry"} and mended.refused == []


def test_a_repair_that_turns_out_to_lose_something_says_why_it_was_not_taken(monkeypatch):
    table = pl.DataFrame({"Lot": [f"L{n}" for n in range(48)], "Note": ["late", " wet ", "dry"] * 16})
    monkeypatch.setattr(repairing, "harm_done", lambda *_: "it would empty 1 cell of Note")
    mended = repair_all(table)
    assert mended.table.equals(table) and mended.done == []
    assert [(one.finding.code, one.reason) for one in mended.refused] == [
        ("stray_blanks", "it would empty 1 cell of Note")
    ]
    assert [finding.code for finding in mended.left] == ["stray_blanks"]


@pytest.mark.parametrize("seed", range(0, 60, 3))
def test_looking_again_at_what_changed_says_what_a_fresh_look_says(seed):
    garden = messy_table(seed)
    mended, _, left, _ = repair_all(garden.frame(), garden.others)
    assert [(f.key, f.count, f.open) for f in left] == [(f.key, f.count, f.open) for f in find(mended, garden.others)]
