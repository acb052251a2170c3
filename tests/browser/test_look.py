"""Looking with the real interface: findings and repairs, focus, value lists, histograms, patterns, pairs, the profile."""

import json

import pytest

from tests.browser.conftest import settle, violations
from tests.browser.test_desk import dropped
from tests.browser.test_studio import cell, foot

HUBS = ["Aldermere", "North Fen", "Coldwater", "Saltmarsh", "Highcombe"]
LOTS = "Lot,Hub,Grams,Sown\n" + "".join(
    f"L{1000 + 7 * n},{'coldwater' if n == 7 else HUBS[n * 3 % 5]}{' ' if n % 11 == 0 else ''},{3 + n * 37 % 90},2026-03-{1 + n % 28:02d}\n"
    for n in range(110)
)


@pytest.fixture
def lots(page):
    page.goto("/")
    dropped(page, "#drop", "lots.csv", LOTS)
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    found(page)
    return page


def found(page, many: int | None = None) -> None:
    """Wait until the findings of the table on the screen are there."""
    page.wait_for_function("() => window.updraft && Array.isArray(updraft.findingsDesk.list)")
    settle(page)
    if many is not None:
        page.wait_for_function(f"() => updraft.findingsDesk.list?.length === {many}")


def steps(page) -> list[str]:
    return page.evaluate("Object.values(updraft.state.steps).map((s) => s.kind)")


def wait_for_rows(page, many: int) -> None:
    page.wait_for_function(f"() => updraft.grid.known && updraft.grid.length === {many}")
    settle(page)


def open_column(page, name: str, tab: str = "Values") -> None:
    page.locator(".head-name", has_text=name).first.click()
    page.get_by_role("tab", name=tab).click()
    page.wait_for_function(
        "(name) => updraft.desk.view === 'column' && updraft.columnDesk.name === name && updraft.columnDesk.found",
        arg=name,
    )


def test_a_finding_shows_its_rows_and_its_repair_becomes_a_step(lots):
    page = lots
    page.keyboard.press("Alt+l")
    page.locator(".finding").nth(1).wait_for()
    assert page.locator(".finding-says").all_inner_texts() == [
        "Hub has 2 spellings of 1 name", "Stray blanks in 10 cells of Hub"]  # fmt: skip
    page.locator(".repair-effect", has_text="10 cells changed").wait_for()
    page.locator(".finding-open").nth(1).click()
    wait_for_rows(page, 10)
    assert foot(page).startswith("10 of 110 rows") and page.locator(".finding-why").inner_text().startswith(
        "Values that look"
    )
    assert not violations(page)
    page.get_by_role("button", name="Repair: Trim Hub").click()
    page.wait_for_function("() => updraft.state.steps.tidy_text")
    found(page, 1)
    assert steps(page) == ["read_file", "tidy_text"] and page.evaluate("updraft.selected") == "tidy_text"
    page.keyboard.press("Control+z")
    page.wait_for_function("() => !updraft.state.steps.tidy_text")
    found(page, 2)


def test_repairs_that_cannot_harm_are_taken_together_and_the_others_show_their_cells(lots):
    page = lots
    page.locator(".chip-find").click()
    page.get_by_role("button", name="Repair it").click()
    dialog = page.locator("dialog[open]")
    dialog.wait_for()
    assert "changed" in dialog.locator(".repair-list").inner_text() and not violations(page)
    dialog.get_by_role("button", name="Take them").click()
    found(page, 1)
    assert steps(page) == ["read_file", "tidy_text"], "one name in two spellings is left to a person"
    assert page.get_by_role("button", name="Repair it").count() == 0
    page.locator(".finding-open").click()
    assert "→" in page.get_by_role("list", name="Values that change").inner_text() and not violations(page)
    page.get_by_role("button", name="Repair: ").click()
    found(page, 0)
    page.get_by_text("Nothing looks wrong").first.wait_for()
    assert steps(page) == ["read_file", "tidy_text", "recode_values"]
    page.locator("#undo").click()
    page.locator("#undo").click()
    page.wait_for_function("() => Object.keys(updraft.state.steps).length === 1")


def test_a_finding_is_dismissed_with_a_reason_and_brought_back(lots):
    page = lots
    page.locator(".chip-find").click()
    page.locator(".finding-open").nth(1).click()
    page.get_by_role("button", name="Dismiss…").click()
    page.get_by_label("Why it is fine as it is").fill("the labels need them")
    page.keyboard.press("Enter")
    found(page, 1)
    page.reload()
    found(page, 1)
    page.locator(".chip-find").click()
    page.get_by_text("1 dismissed").click()
    page.get_by_text("the labels need them").wait_for()
    page.get_by_role("button", name="Bring back").click()
    found(page, 2)


def test_values_are_chosen_focused_and_kept(lots):
    page = lots
    open_column(page, "Hub")
    page.get_by_label("Find a value of Hub").fill("fen")
    page.wait_for_function("() => document.querySelectorAll('.value-rows .value').length === 2")
    for box in page.locator(".value input").all():
        box.check()
    page.get_by_role("button", name="Only these", exact=True).click()
    wait_for_rows(page, 21)
    assert page.evaluate("[...new Set([0,1,2,3].map((n) => updraft.grid.item(n).cells[1].trim()))]") == ["North Fen"]
    page.get_by_label("Search all columns").fill("2026-03-1")
    page.wait_for_function("() => updraft.grid.known && updraft.grid.length > 0 && updraft.grid.length < 21")
    both = page.evaluate("updraft.grid.length")
    page.get_by_role("button", name="Take away the search").click()
    wait_for_rows(page, 21)
    assert both < 21 and not violations(page)
    page.get_by_role("button", name="Keep only these").click()
    page.wait_for_function("() => updraft.selected === 'keep_rows' && updraft.table?.rows === 21")
    rule = page.evaluate("updraft.state.steps.keep_rows.settings.rule")
    assert rule["of"][0]["test"] == "one_of" and len(rule["of"][0]["values"]) == 2
    page.locator(".chip", has_text="89 rows gone").click()
    wait_for_rows(page, 89)
    assert cell(page, 0, "Hub").strip() != "North Fen"
    page.evaluate(
        """async () => { await updraft.edit([{op: 'add', after: 'keep_rows', step: {id: 'sums', kind: 'summarise', settings: {by: ['Hub']}}}]);
        await updraft.select('sums'); }"""
    )
    page.wait_for_function("() => updraft.table?.step === 'sums'")
    settle(page)
    assert "gone" not in page.locator("#focus-bar").inner_text(), "groups are no rows that were there before"


def test_a_value_is_changed_in_place_and_a_second_one_joins_the_step(lots):
    page = lots
    open_column(page, "Hub")
    page.get_by_role("button", name="Change coldwater everywhere", exact=True).click()
    page.get_by_label("New value for coldwater", exact=True).fill("Coldwater")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.selected === 'recode_values' && updraft.desk.view === 'column'")
    settle(page)
    page.get_by_role("button", name="Change Saltmarsh everywhere", exact=True).click()
    page.get_by_label("New value for Saltmarsh", exact=True).fill("Salt Marsh")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.state.steps.recode_values.settings.changes.length === 2")
    page.get_by_role("button", name="Change Salt Marsh everywhere", exact=True).click()
    page.get_by_label("New value for Salt Marsh", exact=True).fill("Saltings")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.state.steps.recode_values.settings.changes.some((c) => c.new === 'Saltings')")
    assert steps(page) == ["read_file", "recode_values"]
    assert page.evaluate("updraft.state.steps.recode_values.settings.changes.map((c) => [c.old, c.new])") == [
        ["coldwater", "Coldwater"], ["Saltmarsh", "Saltings"]]  # fmt: skip


def test_a_range_is_dragged_over_the_histogram_and_patterns_and_pairs_are_chosen(lots):
    page = lots
    open_column(page, "Grams", "Histogram")
    box = page.locator(".histogram").bounding_box()
    page.mouse.move(box["x"] + 4, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40, steps=4)
    page.mouse.up()
    page.wait_for_function("() => updraft.focus.chips.length === 1 && updraft.grid.known && updraft.grid.length < 110")
    low, high = (int(one["value"]) for one in page.evaluate("updraft.focus.chips[0].rule.of"))
    expected = sum(low <= 3 + n * 37 % 90 < high for n in range(110))
    wait_for_rows(page, expected)
    page.get_by_label("From", exact=True).fill("10")
    page.get_by_label("To", exact=True).fill("20")
    page.keyboard.press("Enter")
    wait_for_rows(page, sum(10 <= 3 + n * 37 % 90 <= 20 for n in range(110)))
    page.get_by_role("button", name="logarithmic").click()
    page.wait_for_function("() => updraft.columnDesk.found.histogram.log === true")
    page.locator("#focus-line").get_by_role("button", name="Clear").click()
    wait_for_rows(page, 110)

    open_column(page, "Hub", "Patterns")
    page.locator(".pattern", has_text="letters blank letters blank").click()
    page.wait_for_function("() => updraft.grid.known && updraft.grid.length < 10")
    assert page.evaluate("updraft.grid.item(0).cells[1]") == "North Fen "
    page.locator("#focus-line").get_by_role("button", name="Clear").click()
    page.get_by_role("tab", name="Patterns").focus()
    page.keyboard.press("ArrowRight")
    page.get_by_label("Beside which column").select_option("Grams")
    page.locator(".cross tbody tr").first.wait_for()
    page.locator(".cross td button").first.click()
    page.wait_for_function("() => updraft.focus.chips.length === 2 && updraft.grid.known && updraft.grid.length < 110")
    assert not violations(page)


def test_a_focus_is_marked_and_cells_in_it_are_set(lots):
    page = lots
    page.get_by_label("Search all columns").fill("coldwater")
    wait_for_rows(page, 23)
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("menuitem", name="Mark with").click()
    page.get_by_label("Name of the new column").fill("Cold")
    page.get_by_role("button", name="Add the step").click()
    page.wait_for_function("() => updraft.table?.step === 'mark_rows' && updraft.table.columns.length === 5")
    open_column(page, "Cold")
    page.wait_for_function("() => document.querySelectorAll('.value-rows .value').length === 2")
    assert page.locator(".value .n").all_inner_texts() == ["87", "23"]


def test_the_profile_is_shown_copied_and_taken_as_a_table(lots):
    page = lots
    page.keyboard.press("Alt+p")
    page.locator(".profile li").nth(3).wait_for()
    assert "3 to 92" in page.locator(".profile li").nth(2).inner_text() and not violations(page)
    page.get_by_role("button", name="Copy").click()
    page.get_by_text("Profile copied").wait_for()
    lines = page.evaluate("navigator.clipboard.readText()").split("\n")
    assert lines[0].startswith("Column\tType\tRows") and len(lines) == 5
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV", exact=True).click()
    assert download.value.path().read_text().startswith("Column,Type,Rows")
    page.get_by_role("button", name="Take as a table").click()
    page.wait_for_function("() => updraft.table?.step === 'profile_columns' && updraft.table.rows === 4")
    settle(page)
    assert cell(page, 2, "Column") == "Grams"


def test_a_list_of_many_distinct_values_stays_fluid(page):
    page.goto("/")
    dropped(page, "#drop", "many.csv", "Lot,Hub\n" + "".join(f"L{n},{HUBS[n % 5]}\n" for n in range(120_000)))
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    found(page)
    open_column(page, "Lot")
    page.get_by_text("120,000 values", exact=True).wait_for()
    page.get_by_label("Order of the values").select_option("value")
    page.locator(".value .v", has_text="L0").first.wait_for()
    page.locator(".value-scroll").evaluate("e => { e.scrollTop = e.scrollHeight; }")
    page.locator(".value .v", has_text="L99999").first.wait_for()
    assert page.locator(".value-rows .value").count() < 60
    page.get_by_role("button", name="Copy list").click()
    page.get_by_text("Value list copied").wait_for()
    assert len(page.evaluate("navigator.clipboard.readText()").splitlines()) == 120_001


def test_what_cannot_be_seen_is_made_visible(page):
    page.goto("/")
    content = "Hub,Grams\nColdwater ,1\nColdwater\u00a0,2\nC\u043eldwater,3\nNorth  Fen,4\nColdwater,5\n"
    dropped(page, "#drop", "seen.csv", content)
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    found(page)
    open_column(page, "Hub")
    page.wait_for_function("() => document.querySelectorAll('.value-rows .value').length === 5")
    marks = page.evaluate("[...document.querySelectorAll('.value .cell-blank')].map((e) => [e.textContent, e.title])")
    assert sorted(text for text, _ in marks) == sorted(["·", "⍽", "··", "\u043e"])
    assert any("Cyrillic" in title for _, title in marks), json.dumps(marks)


def test_a_value_of_a_repair_can_be_left_out(page):
    page.goto("/")
    names = ["Aldermere", "Coldwater", "Saltmarsh"]
    lines = "".join(
        f"L{1000 + 7 * n},{names[n % 3].upper() if n in (30, 31) else names[n % 3]},{n * 37 % 90 + 3}\n"
        for n in range(90)
    )
    dropped(page, "#drop", "lots.csv", f"Lot,Hub,Grams\n{lines}")
    page.wait_for_url("**/flows/*")
    found(page, 1)
    page.locator(".chip-find").click()
    page.locator(".finding-open").click()
    boxes = page.get_by_role("list", name="Values that change").get_by_role("checkbox")
    assert boxes.count() == 2 and not violations(page)
    for box in (0, 1):
        boxes.nth(box).uncheck()
    page.get_by_role("button", name="Repair: Recode").click()
    page.get_by_text("All its values are left out").wait_for()
    assert steps(page) == ["read_file"]
    page.get_by_role("checkbox", name="ALDERMERE").check()
    page.get_by_role("button", name="Repair: Recode").click()
    page.wait_for_function("() => updraft.state.steps.recode_values")
    changes = page.evaluate("updraft.state.steps.recode_values.settings.changes")
    assert changes == [{"old": "ALDERMERE", "new": "Aldermere"}]
