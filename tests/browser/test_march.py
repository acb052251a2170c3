"""The whole March flow from an empty flow through the real interface, by keyboard alone; `make haste` goes by mouse, too,
as every job's test does.
"""

import openpyxl
import pytest

from tests.browser.conftest import HASTE, settle
from tests.browser.hands import Keys, Mouse
from tests.expected import expected_report
from updraft.demo.names import HUB_SPELLINGS, SPELLINGS


def pasted(spellings: dict[str, list[str]]) -> str:
    return "\n".join(f"{old}\t{new}" for new, olds in spellings.items() for old in olds)


def rows(page) -> str:
    return page.locator("#foot-size").inner_text()


@pytest.mark.parametrize("way", [Keys, Mouse] if HASTE else [Keys])
def test_the_march_report_from_nothing(page, world, tmp_path, way):
    hand = way(page)
    page.goto("/")
    hand.button("New flow")
    page.wait_for_selector(".welcome")
    hand.file("A file", world / "packet_orders_2026-03.xlsx")
    page.wait_for_selector(".slick-row")
    settle(page)
    assert rows(page) == "1,214 rows × 9 columns"

    def added(words: str, title: str) -> None:
        count = page.locator(".stop").count()
        hand.add(words, title)
        page.wait_for_function("n => document.querySelectorAll('.stop').length === n + 1", arg=count)
        page.wait_for_function(
            "title => document.querySelector('.desk .eyebrow')?.textContent.endsWith(title) && updraft.stepDesk.step?.id === updraft.selected",
            arg=title,
        )
        settle(page)

    def applied() -> None:
        page.wait_for_function("() => !document.querySelector('.desk-foot .btn-primary').disabled")
        hand.button("Apply") if way is Mouse else page.keyboard.press("Control+Enter")
        page.wait_for_function(
            "() => updraft.drafts.size === 0 && document.querySelector('.desk-foot .btn-primary').disabled"
        )
        settle(page)

    added("exclude", "Drop rows")
    hand.choose("Column", "Grower")
    hand.choose("Test", "is empty")
    page.wait_for_function(
        "() => document.getElementById('foot-did').textContent === '1,214 rows came in, 1 fewer go out'"
    )
    applied()
    assert rows(page) == "1,213 rows × 9 columns"

    added("trim", "Tidy text")
    hand.radio("names")
    for column in ("Grower", "Variety", "Region"):
        hand.check(column)
    applied()
    assert page.locator(".stop[aria-current=true] .stop-change").inner_text().startswith("194 cells")

    added("recode", "Recode values")
    hand.choose("Column", "Variety")
    hand.paste("Old value 1", pasted(SPELLINGS))
    applied()

    added("text to number", "Set types")
    hand.button("+ column")
    hand.choose("Column", "Ordered on")
    page.wait_for_function("() => document.querySelectorAll('.format').length === 3")  # found from the values
    applied()
    assert page.locator(".desk-facts").count() == 0, "every date converts"

    hand.bring_in(world / "growers.xlsx")
    page.wait_for_function("() => document.getElementById('foot-size').textContent === '49 rows × 6 columns'")
    settle(page)
    added("recode", "Recode values")
    hand.choose("Column", "Hub")
    hand.paste("Old value 1", pasted(HUB_SPELLINGS))
    applied()

    hand.stop("Set types")
    page.wait_for_function(
        "() => updraft.table?.step === updraft.selected && updraft.state.steps[updraft.selected].kind === 'set_types'"
    )
    settle(page)
    added("vlookup", "Look up")
    assert (
        page.locator("#port-reference").evaluate("e => e.selectedOptions[0].textContent").endswith("Recode values")
    ), "the open lane is taken by itself"
    hand.choose("Column of this table", "Grower")
    hand.choose("Column of the other table", "Code")
    for column in ("Full name", "Hub"):
        hand.check(column)
    hand.radio("take first")
    applied()
    assert page.locator(".chip-warn").first.inner_text() == "Rows without a match: 6"
    assert (
        page.locator(".slick-header-column.elsewhere").count() >= 1
        or page.locator(".chip", has_text="+2 columns").count() == 1
    )

    added("group by", "Summarise")
    hand.button("+ column")
    hand.choose("For each, column 1", "Hub")
    hand.button("+ another column")
    hand.choose("For each, column 2", "Variety")
    for figure, column, name in (
        ("number of rows", None, "Orders"),
        ("sum of", "Packets", "Packets"),
        ("sum of", "Price", "Revenue"),
        ("distinct values of", "Garden", "Gardens"),
    ):
        hand.button("+ figure")
        last = page.locator(".card-item").last
        last.wait_for()
        if way is Mouse:
            last.get_by_label("Figure", exact=True).select_option(label=figure)
            if column:
                last.get_by_label("of column", exact=True).select_option(label=column)
            last.get_by_label("Name of the figure").fill(name)
        else:
            page.keyboard.type(figure)
            if column:
                page.keyboard.press("Tab")
                page.keyboard.type(column)
            _name_last(page, name)
    applied()
    assert rows(page) == "126 rows × 6 columns"

    added("save", "Write file")
    hand.type("File name", "report_march.xlsx")
    hand.type("Sheet name", "Packets")
    applied()

    hand.button("Run flow") if way is Mouse else page.keyboard.press("Alt+r")
    hand.button("Run now")
    link = page.locator(".result-card a")
    link.wait_for(timeout=90_000)
    with page.expect_download() as download:
        if way is Mouse:
            link.click()
        else:
            hand.tab_to(lambda e: e[0] == "A" and "report_march.xlsx" in e[1], "the result")
            page.keyboard.press("Enter")
    download.value.save_as(tmp_path / "report.xlsx")
    cells = list(openpyxl.load_workbook(tmp_path / "report.xlsx")["Packets"].iter_rows(values_only=True))
    assert cells[0] == ("Hub", "Variety", "Orders", "Packets", "Revenue", "Gardens")
    assert cells[1:] == expected_report(world, "2026-03")


def _name_last(page, name: str) -> None:
    """Type into the last figure's name: Tab on from the list before it."""
    page.keyboard.press("Tab")
    for _ in range(4):
        if page.evaluate("document.activeElement.getAttribute('aria-label')") == "Name of the figure":
            break
        page.keyboard.press("Tab")
    page.keyboard.type(name)
