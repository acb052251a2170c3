"""A chart of the table: drawn by what is chosen, its marks open their rows, and it leaves as a file."""

import re

from tests.browser.conftest import settle, violations
from tests.browser.flows import imported

SHIPPED = "hub,on,packets,kg\n" + "".join(
    f"{hub},2026-03-{day:02},{day * many},{day / 10}\n"
    for hub, many in (("Fen", 2), ("Moor", 3))
    for day in range(1, 13)
)


def opened(page) -> None:
    read = [{"id": "it", "kind": "read_file", "settings": {"path": "it.csv"}}]
    files = {"it.csv": SHIPPED + "Fen,2026-03-20,4000,9\n"}
    page.goto(f"{imported(page, {'updraft': 6, 'name': 'Chart', 'steps': read}, files)}?step=it")
    page.wait_for_selector(".slick-row")
    page.keyboard.press("Alt+c")
    page.locator(".chart-picture svg").wait_for()
    settle(page)


def chosen(page, shape: str) -> None:
    page.locator("dialog").get_by_text(shape, exact=True).click()
    settle(page)


def test_a_bar_has_the_figure_of_its_rows_and_opens_them_by_pointer_and_by_key(page):
    opened(page)
    assert page.evaluate("document.activeElement.closest('.chart-fields') !== null")
    page.get_by_label("of", exact=True).select_option("packets")
    page.wait_for_function("() => document.querySelector('.chart-picture svg').ariaLabel === 'sum of packets by hub'")
    assert page.locator(".chart-picture title").all_text_contents() == ["Fen: 4,156 (13 rows)", "Moor: 234 (12 rows)"]
    assert violations(page) == []
    page.locator("[data-mark]").last.click()
    page.wait_for_function("() => document.getElementById('focus-line')?.textContent.includes('12 of 25 rows')")
    page.get_by_role("button", name="Clear").click()
    page.locator(".chip-chart").click()
    page.locator("summary", has_text="Values").click()
    page.get_by_role("button", name="13 rows").press("Enter")
    page.wait_for_function("() => document.getElementById('focus-line')?.textContent.includes('13 of 25 rows')")


def test_lines_points_and_histograms_are_drawn_and_leave_as_files(page):
    opened(page)
    chosen(page, "line")
    page.get_by_label("One for each").select_option("hub")
    page.wait_for_function("() => document.querySelectorAll('.chart-picture path[stroke-dasharray]').length > 1")
    assert page.locator(".chart-picture circle").count() == 25
    chosen(page, "points")
    page.get_by_label("Across").select_option("packets")
    page.get_by_label("Upwards").select_option("kg")
    far = page.locator(".chart-picture [data-mark][stroke='#a84d08']")
    far.first.wait_for()
    with page.expect_download() as saved:
        page.get_by_role("button", name="PNG").click()
    assert saved.value.suggested_filename == "scatter packets.png"
    assert saved.value.path().read_bytes()[:8] == b"\x89PNG\r\n\x1a\n" and saved.value.path().stat().st_size > 5_000
    with page.expect_download() as saved:
        page.get_by_role("button", name="SVG", exact=True).click()
    assert saved.value.path().read_text().startswith("<svg ")
    chosen(page, "histogram")
    page.locator(".chart-picture rect[data-mark]").first.wait_for()
    assert violations(page) == []
    chosen(page, "points")
    far.last.click()
    page.wait_for_function("() => document.getElementById('focus-line')?.textContent.includes('1 of 25 rows')")


def test_a_group_is_opened_to_its_rows(page):
    settings = {"by": ["hub"], "totals": "all", "figures": [{"figure": "rows", "name": "N"}]}
    steps = [
        {"id": "it", "kind": "read_file", "settings": {"path": "it.csv"}},
        {"id": "s", "kind": "summarise", "settings": settings, "inputs": {"table": "it"}},
    ]
    flow = imported(page, {"updraft": 6, "name": "G", "steps": steps}, {"it.csv": SHIPPED})
    for cell, rows in (("12", "12 of 24 rows"), ("24", None)):
        page.goto(f"{flow}?step=s")
        page.wait_for_selector(".slick-row")
        settle(page)
        page.locator(".slick-cell", has_text=re.compile(f"^{cell}$")).last.dblclick()
        page.wait_for_function("() => updraft.selected === 'it' && updraft.table?.step === 'it'")
        if rows:
            page.wait_for_function(f"() => document.getElementById('focus-line')?.textContent.includes('{rows}')")
            assert "row 2 of Summarise" in page.locator("#focus-line").inner_text()
    settle(page)
    assert page.evaluate("updraft.focus.nothing"), "the total stands for all rows"
