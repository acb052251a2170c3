"""What people meet who work fast: heads that are clicked anywhere, Esc in a text, a side that was looked at before."""

from tests.browser.conftest import settle
from tests.browser.hands import added, brought

LOTS = "Lot,Hub,Packets\nL1,Fen,4\nL2,,5\nL3,Dale,\nL4,,7\nL5,Fen,8\nL6,Dale,9\n"


def head(page, name: str):
    return page.locator(".slick-header-column", has_text=name)


def test_a_head_opens_its_column_and_its_count_of_empties_just_their_rows(page):
    brought(page, "lots.csv", LOTS)
    settle(page)
    head(page, "Packets").locator(".head-bars").click()
    page.wait_for_function("() => updraft.columnDesk.name === 'Packets' && updraft.desk.view === 'column'")
    head(page, "Hub").get_by_text("2 empty").click()
    page.wait_for_function("() => document.getElementById('foot-size').textContent.startsWith('2 of 6 rows')")
    assert page.evaluate("updraft.columnDesk.name") == "Hub"
    for kind, words in (("keep_rows", "keep rows"), ("set_types", "set types"), ("sort_rows", "sort rows")):
        page.evaluate("updraft.act.chooseColumn('Hub')")
        added(page, words, kind)
        settle(page)
        chosen = page.locator("#desk select").evaluate_all("(all) => all.map((one) => one.value)")
        assert "Hub" in chosen, f"{words} begins with the column that was looked at"
        page.keyboard.press("Control+z")
        page.wait_for_function("() => updraft.state.course.stops.length === 1")
        settle(page)


def test_esc_leaves_a_text_as_it_is_and_what_is_put_back_can_be_tried_again(page):
    brought(page, "lots.csv", LOTS)
    added(page, "calculate", "calculate")
    page.get_by_role("button", name="+ column").click()
    page.keyboard.type("Grams")
    page.locator("#desk .cm-content").click()
    page.keyboard.type("Packets * 12")
    page.keyboard.press("Escape")
    tried = "() => updraft.table.columns.some((column) => column.name === 'Grams')"
    page.wait_for_function(tried)
    page.evaluate("updraft.course.focus(updraft.selected)")
    page.keyboard.press("Escape")
    page.wait_for_function(f"() => !({tried})()")
    assert page.locator(".notice", has_text="is put back").count() == 1
    page.keyboard.press("Control+y")
    page.wait_for_function(tried)
    assert page.locator("#desk .cm-content").inner_text() == "Packets * 12"


def test_what_is_added_to_a_list_is_set_as_it_shows(page):
    brought(page, "lots.csv", LOTS)
    added(page, "summarise", "summarise")
    page.get_by_role("button", name="+ figure").click()
    page.wait_for_function("() => updraft.table.columns.length === 1 && updraft.table.rows === 1")
    page.keyboard.press("Control+Enter")
    page.wait_for_function("() => updraft.state.steps.summarise.settings.figures?.[0]?.figure === 'rows'")
    settle(page)
    assert page.locator("#foot-did").inner_text() == "Made of 6 rows", "none of them is gone"


def test_a_stop_opens_at_its_table_though_a_side_was_looked_at(page):
    brought(page, "lots.csv", LOTS)
    added(page, "remove duplicates", "remove_duplicates")
    page.get_by_role("button", name="+ column").first.click()
    page.get_by_label("Equal in, column 1").select_option(label="Hub")
    page.keyboard.press("Control+Enter")
    page.get_by_role("button", name="Look at them").first.click()
    page.wait_for_function("() => updraft.output === 'removed'")
    page.locator(".stop").last.click()
    page.wait_for_function("() => updraft.output === '' && updraft.table.output === ''")
    added(page, "save", "write_file")
    assert page.evaluate("updraft.state.steps.write_file.main") == "remove_duplicates"
