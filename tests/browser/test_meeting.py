"""The desk of Join: what it says before anything is joined is what comes out; links chosen by the two tables."""

import re

from tests.browser.conftest import settle, violations
from tests.browser.flows import imported
from tests.browser.test_owner import at
from tests.people import people

REQUESTS = "request,hub,packets\nR1,Fen,3\nR2,fen,4\nR3,Salt marsh,5\nR4,Thornacre,6\nR5,,1\nR6,Moor,2\n"
SHIPMENTS = "Hub,Grams\nFen,10\nFen,20\nSaltmarsh,30\nMoor,40\nBirchwood,50\n"


def brought(page, texts: dict[str, str], step: dict) -> None:
    """A flow of two files and a step that takes both, open at the step."""
    read = [{"id": side, "kind": "read_file", "settings": {"path": f"{side}.csv"}} for side in texts]
    files = {f"{side}.csv": text for side, text in texts.items()}
    flow = imported(page, {"updraft": 6, "name": "Two", "steps": [*read, step]}, files)
    page.goto(f"{flow}?step={step['id']}")
    at(page, step["id"])
    settle(page)


def joined(page) -> None:
    keys = [{"column": "hub", "reference": "Hub"}]
    step = {"id": "j", "kind": "join", "settings": {"keys": keys}, "inputs": {"table": "left", "reference": "right"}}
    brought(page, {"left": REQUESTS, "right": SHIPMENTS}, step)
    page.keyboard.press("Alt+w")
    page.locator(".bands").wait_for()
    settle(page)


def said(page) -> int:
    """The rows that the foot says will come out, once the step was tried; the same as the table's."""
    settle(page)
    page.wait_for_function("""() => {
      const out = document.querySelector('.wide-sums')?.textContent.match(/→ ([0-9,]+) rows? out/)?.[1];
      return out && Number(out.replace(',', '')) === updraft.table.rows;
    }""")
    return page.evaluate("updraft.table.rows")


def test_bands_are_ticked_by_what_comes_out_and_the_foot_tells_it_exactly(page):
    joined(page)
    assert said(page) == 3 and page.locator(".wide-about").inner_text().endswith("(inner join).")
    ticks = page.locator(".bands input")
    found = {}
    for at_band, name in ((0, "left"), (2, "full"), (1, "only")):
        ticks.nth(at_band).focus()
        page.keyboard.press("Space")
        found[name] = said(page)
        assert page.evaluate("document.activeElement.dataset.tick") == ticks.nth(at_band).get_attribute("data-tick")
        assert page.evaluate("updraft.wide.settings.rows") in (name, "apart")
    # Left: three that meet, and R2, R3, R4, R5; full: Saltmarsh and Birchwood, too; then none that meet.
    assert found == {"left": 7, "full": 9, "only": 6}
    assert page.locator(".wide-about").inner_text().endswith("(full anti join).")
    assert violations(page) == []


LOTS = "lot,harvested,packets\nL1,2026-03-01,30\nL1,2026-05-09,12\nL22,2026-05-01,4\nL5,2026-06-11,50\n"
SPANS = "of,tested,until\nL1,2026-03-01,2026-03-20\nL2,2026-05-02,\nL5,2026-06-10,2026-06-30\nL5,2026-06-08,\n"


def test_what_meets_by_a_range_is_drawn_and_told_before_it_is_joined(page):
    by = {"by": "range", "near": "harvested", "start": "tested", "end": "until"}
    settings = {"keys": [{"column": "lot", "reference": "of"}], "rows": "left", **by}
    step = {"id": "j", "kind": "join", "settings": settings, "inputs": {"table": "left", "reference": "right"}}
    brought(page, {"left": LOTS, "right": SPANS}, step)
    page.keyboard.press("Alt+w")
    page.locator(".bands").wait_for()
    assert said(page) == 5
    assert page.locator(".band-several-said").inner_text() == "1 row meets several, most by L5, 2026-06-11 (1 × 2)"
    missed = [row.inner_text().split("\t") for row in page.locator(".join-missed tbody tr").all()]
    assert [[cell.strip() for cell in row] for row in missed] == [
        ["L1", "2026-05-09", "1", "in no range", ""],
        ["L22", "2026-05-01", "1", "lot L2", "Recode"],
    ]
    page.get_by_role("button", name="Recode L22 as L2").click()
    page.wait_for_function("() => !document.querySelector('.join-missed')?.textContent.includes('L22')")
    work = page.locator(".join-work")
    work.locator("label", has_text="and the nearest").click()
    work.get_by_label("Nearest in").select_option("tested")
    assert said(page) == 4 and violations(page) == []


def test_tidied_keys_tell_how_many_rows_more_meet_and_a_spelling_is_recoded(page):
    joined(page)
    ways = page.locator(".join-way")
    gains = [re.sub(r"\s+", " ", text).strip() for text in ways.locator(".n").all_inner_texts()]
    assert gains == ["+1 row", "+0 rows", "+0 rows", "+0 rows"]
    page.get_by_label("without case").check()
    assert said(page) == 5, "fen meets both rows of Fen"
    assert "the sum of packets goes from 9 to 16" in page.locator(".wide-sums").inner_text()
    page.get_by_role("button", name="Recode Salt marsh as Saltmarsh").click()
    page.wait_for_function("() => Object.values(updraft.state.steps).some((one) => one.kind === 'recode_values')")
    page.wait_for_function("() => !document.querySelector('.join-missed')?.textContent.includes('Salt marsh')")
    assert said(page) == 6 and page.evaluate("updraft.wide.settings.ignore_case") is True, (
        "nothing that was set is lost"
    )
    assert page.locator(".join-missed tbody tr").all_inner_texts()[0].startswith("Thornacre")


def test_fields_are_chosen_by_the_two_tables_and_link_the_people(page):
    lists = people(300, seed=4)
    texts = {"left": lists.left.write_csv(), "right": lists.right.write_csv()}
    bring = [{"column": "id", "name": "Hub id"}]
    inputs = {"table": "left", "reference": "right"}
    step = {"id": "a", "kind": "look_up_alike", "settings": {"bring": bring, "take": "once"}, "inputs": inputs}
    brought(page, texts, step)
    page.get_by_role("button", name="Choose them by the two tables").click()
    page.wait_for_function("() => updraft.drafts.get('a')?.fields?.length > 4")
    settle(page)
    page.get_by_role("button", name="Apply").click()
    page.wait_for_function(
        "() => updraft.drafts.size === 0 && updraft.table?.columns.some((one) => one.name === 'Hub id')"
    )
    ids = page.evaluate("""async () => {
      const { key, columns } = updraft.table, at = (name) => columns.findIndex((one) => one.name === name);
      const found = await (await fetch(`/api/flows/${updraft.flow}/tables/${key}/rows?offset=0&limit=300&output=`)).json();
      return found.rows.map((row) => [row[at('id')], row[at('Hub id')]]);
    }""")
    found = {(one, other) for one, other in ids if other}
    assert len(found & lists.same) >= 0.97 * max(len(found), len(lists.same))


def test_the_desk_of_compare_counts_what_each_of_its_marks_opens(page):
    asked = "no,grams,hub\n1,100.1,Fen\n2,50,Moor\n3,7,Ash\n4,1,Elm\n"
    sent = "no,grams,hub\n1,61.5,Fen\n2,50,moor\n3,9,Ash\n5,1,Oak\n"
    inputs = {"table": "left", "reference": "right"}
    settings = {"keys": [{"column": "no", "reference": "no"}]}
    step = {"id": "c", "kind": "compare_tables", "settings": settings, "inputs": inputs}
    brought(page, {"left": asked, "right": sent}, step)
    page.keyboard.press("Alt+w")
    page.locator(".agree-key").first.wait_for()
    settle(page)
    said = [re.sub(r"\s+", " ", text).strip() for text in page.locator(".agree-key").all_inner_texts()]
    assert said == ["1 only here", "3 differ", "0 the same", "1 only there"]
    page.locator(".far").nth(1).wait_for()
    largest = page.locator(".compare-work table").last.locator("tbody tr")
    assert largest.first.locator("td").all_inner_texts()[:5] == ["1", "grams", "100.1", "61.5", "38.6"]
    assert violations(page) == []
    page.locator("#wide").get_by_label("Ignore case").check()
    page.wait_for_function("() => document.querySelector('.agree-keys')?.textContent.includes('1 the same')")
    settle(page)
    page.locator(".agree-key").nth(1).click()
    page.wait_for_function("() => updraft.table?.output === 'different' && updraft.table.rows === 2")
