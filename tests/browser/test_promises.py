"""What a page must keep although nobody sees at once when it does not."""

import csv
import io

from tests.browser.conftest import settle
from tests.browser.hands import added, brought
from tests.browser.test_studio import copy_of_demo

LOTS = 'Lot,Note\nL1,"say ""now"""\nL2,"two\nlines"\nL3,=SUM(A1)\nL4,plain\nL5,\n'


def test_an_edit_made_on_an_older_state_is_said_and_the_next_one_holds(page):
    """Somebody else changed the flow meanwhile: what they did is shown, and one goes on from there."""
    brought(page, "lots.csv", LOTS)
    page.evaluate(
        """async () => {
      const { post } = await import(new URL("../js/api.js", document.querySelector("link[rel=icon]").href));
      const { revision } = updraft.state;
      const edits = [{ op: "note", id: "read_file", note: "Theirs" }];
      await post(`/api/flows/${updraft.flow}/edits`, { revision, edits });
    }"""
    )
    page.keyboard.press("Control+k")
    page.keyboard.type("sort rows")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.state.steps.read_file.note === 'Theirs'")
    settle(page)
    added(page, "sort rows", "sort_rows")
    assert page.evaluate("Object.values(updraft.state.steps).filter((step) => step.kind === 'sort_rows').length") == 1


def test_cells_with_quotes_lines_and_formulas_are_copied_as_cells(page):
    brought(page, "lots.csv", LOTS)
    settle(page)
    page.keyboard.press("Alt+2")
    page.keyboard.press("ArrowRight")
    for _ in range(4):
        page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Control+c")
    page.wait_for_selector(".notice")
    text = page.evaluate("navigator.clipboard.readText()")
    assert [row[0] if row else "" for row in csv.reader(io.StringIO(text), delimiter="\t")] == [
        'say "now"', "two\nlines", "'=SUM(A1)", "plain",
    ]  # fmt: skip
    page.keyboard.press("Control+Shift+C")
    page.wait_for_function("async () => (await navigator.clipboard.readText()).includes('\\n=SUM(A1)')")


def test_a_schedule_is_switched_off_and_on(page):
    copy_of_demo(page)
    flow = page.evaluate("updraft.flow")
    page.goto(f"/flows/{flow}/runs")
    page.get_by_role("button", name="Schedule", exact=True).click()
    page.locator(".schedules-head ~ form, form.schedule-form, .schedule-form").first.get_by_role(
        "button", name="Add"
    ).click()
    switch = page.get_by_role("button", name="Switch off")
    switch.wait_for()
    for way, active in (("off", False), ("on", True)):
        page.get_by_role("button", name=f"Switch {way}").click()
        page.get_by_role("button", name=f"Switch {'on' if way == 'off' else 'off'}").wait_for()
        page.reload()
        page.get_by_role("button", name=f"Switch {'on' if way == 'off' else 'off'}").wait_for()
        body = page.evaluate("async (flow) => (await (await fetch(`/api/flows/${flow}/schedules`)).json())", flow)
        assert [one["active"] for one in body["schedules"]] == [active]


def test_all_but_some_values_and_the_empty_cells_and_then_only_those(page):
    brought(page, "lots.csv", LOTS)
    settle(page)
    page.get_by_role("button", name="Note, text: show in the panel").click()
    for value in ("plain", "empty"):
        page.get_by_label(f"Choose {value}", exact=True).check()
    page.get_by_role("button", name="All but these", exact=True).click()
    page.wait_for_function("() => updraft.grid.length === 3")
    settle(page)
    assert sorted(page.locator(".slick-row .l1").all_inner_texts()) == ["L1", "L2", "L3"]
    page.get_by_role("button", name="Only these", exact=True).click()
    page.wait_for_function("() => updraft.grid.length === 2")
