"""No number and no date is cut off in the table, at any width of the window; texts give way first."""

import pytest

from tests.browser.conftest import open_demo, settle
from tests.browser.hands import brought
from tests.browser.test_desk import dropped

LINES = [
    f"{n},{n * 1234567 + 0.25},{'note ' * (3 + n % 30)},2026-03-{n % 28 + 1:02},2026-03-{n % 28 + 1:02}T14:05:0{n % 10},{3229014.0 * (n + 1)}"
    for n in range(600)
]
CUT = """() => [...document.querySelectorAll('.slick-row .slick-cell')].filter((cell) => {
  const column = updraft.grid.grid.getColumns()[[...cell.classList].find((c) => /^l[0-9]+$/.test(c)).slice(1)];
  const kind = updraft.table.columns.find((one) => one.name === column.id)?.kind;
  return kind && kind !== 'text' && cell.scrollWidth > cell.clientWidth;
}).map((cell) => cell.textContent)"""


@pytest.mark.parametrize("width", [1024, 1280, 1600])
def test_numbers_and_dates_are_shown_whole(page, width):
    page.set_viewport_size({"width": width, "height": 800})
    page.goto("/")
    dropped(page, "#drop", "sums.csv", "id,amount,remark,on,at,sum\n" + "\n".join(LINES) + "\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    kinds = page.evaluate("updraft.table.columns.map((one) => one.kind)")
    assert kinds == ["whole", "number", "text", "date", "datetime", "number"]
    assert page.evaluate(CUT) == []
    page.evaluate("updraft.grid.toEnd(true)")  # the longest ones stand at the end
    page.wait_for_function("() => updraft.grid.item(599).cells")
    settle(page)
    assert page.evaluate(CUT) == []
    page.evaluate("updraft.grid.setApart('amount', true)")
    settle(page)
    assert page.evaluate(CUT) == []
    room, used = page.evaluate(
        "[document.getElementById('grid').clientWidth, updraft.grid.grid.getColumns().reduce((sum, one) => sum + one.width, 0)]"
    )
    if width < 1280:
        return  # the numbers alone need more room than there is: the table is scrolled
    assert used <= room, "the text gave way, so that all columns are seen"
    assert used >= room - 30, "and what was free was given to it"


def test_what_was_before_a_number_is_shown_whole_too(page):
    open_demo(page, "kinds")
    assert page.evaluate(CUT) == []


def test_a_very_long_cell_shows_its_beginning_and_is_copied_whole(page):
    long = "".join(f"{n:05}," for n in range(700))
    brought(page, "long.csv", f'Lot,Codes\nL1,"{long}"\nL2,"12,13"\n')
    settle(page)
    shown = page.locator(".slick-cell", has_text="00000,00001")
    assert shown.inner_text() == long[:400] + "…"
    shown.click()
    page.keyboard.press("Control+c")
    page.get_by_text("1 × 1 cells copied").wait_for()
    assert page.evaluate("navigator.clipboard.readText()") == long


def test_what_comes_while_the_table_is_hidden_gets_its_room(page):
    """Behind a desk that is open across the window nothing of the table is laid out."""
    open_demo(page, "kinds")
    width = """async () => {
      const { wide } = await import(performance.getEntriesByType("resource").map((one) => one.name)
        .find((name) => name.includes("/js/widths.js")));
      return wide("ЖЖЖ");
    }"""
    page.evaluate("document.getElementById('grid').style.display = 'none'")
    assert page.evaluate(width) > 15
