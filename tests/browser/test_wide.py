"""The wide desk: one step's work across the window, by keyboard alone."""

from tests.browser.conftest import settle, violations
from tests.browser.test_studio import copy_of_demo, pick


def changes(page) -> dict[str, str]:
    return page.evaluate("Object.fromEntries(updraft.wide.settings.changes.map((one) => [one.old, one.new]))")


def opened(page) -> None:
    copy_of_demo(page)
    pick(page, "recode_variety")
    page.keyboard.press("Alt+w")
    page.locator(".wide-values button").first.wait_for()
    settle(page)


def test_values_are_recoded_from_the_keyboard_tried_applied_and_put_back(page):
    opened(page)
    before = changes(page)
    assert page.evaluate("document.activeElement.getAttribute('aria-label')") == "Find a value"
    assert page.locator(".wide-about").inner_text() == "38 values. 24 have no change."
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    first = page.evaluate("document.activeElement.querySelector('.name').textContent")
    page.locator(".wide-rows tbody tr").first.wait_for()
    assert page.locator(".wide-rows tbody td").first.inner_text() == first
    rows = int(page.evaluate("document.activeElement.querySelector('.n').firstChild.textContent"))
    page.keyboard.press("Enter")
    page.keyboard.type("Renamed")
    page.wait_for_function(f"() => document.querySelector('.wide-sums strong')?.textContent.startsWith('{95 + rows} ')")
    assert changes(page) == {**before, first: "Renamed"}
    assert first not in page.locator(".wide-values .name").all_inner_texts(), "a value with a change is done"
    page.get_by_role("button", name="Put back").click()
    page.wait_for_function("() => document.querySelector('.wide-sums strong')?.textContent.startsWith('95 ')")
    assert changes(page) == before and page.locator(".wide-foot .btn-primary").is_disabled()
    assert violations(page) == []
    page.keyboard.press("Escape")
    assert page.locator("#wide").is_hidden() and page.locator("#grid").is_visible()
    assert page.evaluate("document.activeElement.dataset.step") == "recode_variety"


def test_a_pasted_list_becomes_changes_with_their_rows_and_is_kept(page):
    opened(page)
    before = changes(page)
    page.get_by_role("button", name="a change").click()
    page.evaluate("navigator.clipboard.writeText('Chioggia\\tBeet\\nNo Such Bean\\tBean\\n')")
    page.keyboard.press("Control+v")
    page.wait_for_function("() => updraft.wide.settings.changes.some((one) => one.old === 'No Such Bean')")
    assert changes(page) == {**before, "Chioggia": "Beet", "No Such Bean": "Bean"}
    said = page.locator(".changes-list li").last.locator(".n").inner_text()
    assert said == "no row", "a value that the table lacks is told"
    page.locator("#wide").get_by_label("Ignore case").check()
    page.wait_for_function("() => updraft.drafts.get('recode_variety').ignore_case")
    settle(page)
    page.get_by_role("button", name="Apply").click()
    page.wait_for_function("() => updraft.drafts.size === 0")
    page.locator("[data-step=summarise]").click(force=True)
    page.wait_for_function("() => updraft.table?.step === 'summarise'")
    assert page.locator("#wide").is_hidden(), "another stop leaves the wide desk"
    kept = page.evaluate("updraft.state.steps.recode_variety.settings")
    assert kept["ignore_case"] and {"old": "Chioggia", "new": "Beet"} in kept["changes"]


def test_settings_that_do_not_work_are_told_where_the_numbers_stand(page):
    opened(page)
    page.get_by_role("button", name="a change").click()
    page.keyboard.type("BRANDYWINE")
    page.keyboard.press("Tab")
    page.keyboard.type("Another")
    page.locator(".wide-sums .said-problem").wait_for()
    assert "it is to become both" in page.locator(".wide-sums").inner_text()
    page.get_by_role("button", name="Put back").click()
    page.locator(".wide-sums strong").wait_for()
