"""Whatever count is clicked on the screen, the foot then says just as many rows."""

import re

from tests.browser.conftest import settle, violations
from tests.browser.test_desk import dropped

# Numbers in several dresses, blanks, words for nothing, two spellings, dates in two forms; lines of their own length.
ROWS = [
    f"{weight};{['2026-03-02', '2026-03-07', '2026-04-01', ''][n % 4]};{['Fen', 'fen', ' ', 'Dale', ''][n % 5]};{n % 3 - 1}"
    for n, weight in enumerate(["1.2e+04", "3.1 kg", "n/a", "4.5", "7", "12,5", "", "  ", "(3)", "5 g"] * 5)
]
CLICKED = ".count-way, #column-tab .chip-warn, .pattern"
NUMBER = re.compile(r"[\d,]+")


def shown(page) -> str:
    return page.locator("#foot-size").inner_text()


def test_every_count_in_the_panel_opens_the_rows_it_counts(page):
    page.goto("/")
    dropped(page, "#drop", "weights.csv", "weight;day;hub;n\n" + "\n".join(ROWS) + "\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    clicked = set()
    for column in ("weight", "day", "n"):
        page.evaluate(f"updraft.act.chooseColumn({column!r})")
        for tab in page.locator("[role=tab]").all_inner_texts()[:-1]:
            page.get_by_role("tab", name=tab, exact=True).click()
            page.wait_for_function(
                "() => !document.querySelector('#column-tab [role=status]') && updraft.columnDesk.ways"
            )
            settle(page)
            for n in range(min(page.locator(CLICKED).count(), 9)):
                button = page.locator(CLICKED).nth(n)
                label = button.get_attribute("aria-label") or button.inner_text()
                said = (button.get_attribute("aria-label") or button.locator(".n").inner_text()).split(": ")[-1]
                rows = NUMBER.search(said).group()
                button.click()
                page.wait_for_function(
                    "(rows) => document.getElementById('foot-size').textContent.startsWith(`${rows} of 50 rows`)",
                    arg=rows,
                )
                page.evaluate("updraft.act.clearFocus()")
                page.wait_for_function("() => document.getElementById('foot-size').textContent.startsWith('50 rows')")
                clicked.add((column, label))
        page.get_by_role("tab", name="Values", exact=True).click()
        settle(page)
        page.locator(".value-rows li").first.wait_for()
        for n in range(min(page.locator(".value-rows li").count(), 2)):
            line = page.locator(".value-rows li").nth(n)
            rows = line.locator(".n").inner_text()
            line.locator("input[type=checkbox]").check()
            page.get_by_role("button", name="Only these").click()
            page.wait_for_function(
                "(rows) => document.getElementById('foot-size').textContent.startsWith(`${rows} of 50 rows`)", arg=rows
            )
            page.evaluate("updraft.act.clearFocus()")
            page.wait_for_function("() => document.getElementById('foot-size').textContent.startsWith('50 rows')")
            line.locator("input[type=checkbox]").uncheck()
            clicked.add((column, n))
    assert violations(page) == []
    said = " ".join(str(label) for _, label in clicked)
    assert len(clicked) > 20 and all(
        what in said for what in ("no number", "empty", "Monday", "2026-04", "negative")
    ), said


def test_what_a_step_tells_opens_the_rows_it_counts(page):
    page.goto("/")
    dropped(page, "#drop", "beds.csv", "hub,bed\nFen,A\nFen,\nDale,B\nDale,C\nDale,\nMoor,\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("fill gaps")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'fill_gaps'")
    settle(page)
    page.evaluate(
        "updraft.drafts.change('fill_gaps', { columns: ['bed'], by: 'group', within: ['hub'] }); updraft.preview()"
    )
    told = page.locator("#desk .desk-facts li", has_text="2 cells of bed stay empty")
    told.wait_for()
    assert page.locator("#desk .desk-facts li").all_inner_texts()[1:] == [
        "1 of those of bed: its group disagrees. Look at them",
        "1 of those of bed: nothing is known in its group. Look at them",
    ]
    told.get_by_role("button", name="Look at them").click()
    page.wait_for_function("() => document.querySelector('#focus-line strong')?.textContent.startsWith('2 of')")
    page.locator("#desk .desk-facts li", has_text="its group disagrees").get_by_role("button").click()
    page.wait_for_function("() => updraft.table?.output === 'disagree0' && updraft.grid.known")
    assert page.evaluate("[updraft.grid.length, updraft.grid.item(0).cells[0]]") == [1, "Dale"]
    assert page.locator("#focus-bar .chip[aria-pressed=true]").inner_text() == "Empty bed: their group disagrees: 1"


def test_a_new_step_begins_with_the_column_that_is_looked_at(page):
    page.goto("/")
    dropped(page, "#drop", "beds.csv", "hub,bed,kg\nFen,A,5\nDale,B,6\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    for words, kind, setting, begun in (
        ("split column", "split_column", "column", "bed"),
        ("tidy text", "tidy_text", "columns", {"by": "names", "names": ["bed"]}),
        ("round", "round_numbers", "columns", None),  # it takes numbers alone
    ):
        page.evaluate("updraft.act.chooseColumn('bed')")
        page.wait_for_function("() => updraft.desk.view === 'column' && updraft.columnDesk.name === 'bed'")
        page.keyboard.press("Control+k")
        page.keyboard.type(words)
        page.wait_for_selector(".add-option")
        page.keyboard.press("Enter")
        page.wait_for_function(f"() => updraft.stepDesk.step?.kind === {kind!r}")
        settle(page)
        kept = page.evaluate(f"updraft.drafts.settings(updraft.selected)[{setting!r}]")
        if begun is None:
            assert "bed" not in str(kept)
        else:
            assert kept == begun or {**kept, **begun} == kept
        page.keyboard.press("Control+z")
        page.wait_for_function("() => updraft.state.course.stops.length === 1")
        settle(page)
