"""The wide desk: one step's work across the window, by keyboard alone."""

from tests.browser.conftest import settle, violations
from tests.browser.test_desk import dropped
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


def on_file(page, name: str, text: str, kind: str, **settings) -> None:
    """A file brought in, with a step of a kind after it, across the window."""
    page.goto("/")
    dropped(page, "#drop", name, text)
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    page.keyboard.press("Control+k")
    page.keyboard.type(kind)
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function(f"() => updraft.stepDesk.step?.kind === {kind.replace(' ', '_').replace('-', '_')!r}")
    settle(page)
    if settings:
        page.evaluate("(more) => { updraft.drafts.change(updraft.selected, more); updraft.preview(); }", settings)
        settle(page)
    page.keyboard.press("Alt+w")
    page.locator("#wide-title").wait_for()


def cells(page, rows: int, width: int) -> list[list]:
    """The first rows of the table, once all of them are there with so many columns."""
    script = f"""() => {{ const rows = Array.from({{ length: {rows} }}, (_, n) => updraft.grid.item(n)?.cells);
        return rows.every((cells) => cells?.length === {width}) && rows; }}"""
    return page.wait_for_function(script).json_value()


LOTS = "lot,amount,germ\nA1,12 x 5 g,91\nB2,3 x 40 g,70\nC3,by hand,\nD4,1 x 9 g,86\n"


def gives(page) -> list[str]:
    return page.locator(".gives-rows tbody .is-made").all_inner_texts()


def test_a_formula_is_typed_with_help_and_shows_what_it_gives_and_where_it_is_wrong(page):
    on_file(page, "lots.csv", LOTS, "calculate")
    wide = page.locator("#wide")
    wide.get_by_label("Column", exact=True).fill("packs")
    wide.get_by_label("Formula", exact=True).click()
    page.keyboard.type("numb")
    page.locator(".cm-tooltip-autocomplete li", has_text="number").first.wait_for()
    page.locator(".f-info", has_text="number('12 x 5 g', 2) → 5").wait_for()
    page.keyboard.press("Enter")
    page.keyboard.type("amont)")
    page.locator(".gives .said-problem", has_text="The nearest is “amount”").wait_for()
    assert page.locator(".f-wrong").inner_text() == "amont", "marked where it stands"
    assert violations(page) == []
    page.keyboard.press("Control+a")
    page.keyboard.type("number(amount, 2)")
    page.locator(".why-empty").wait_for()
    assert gives(page) == ["5", "40", "empty"], "the first rows; the fourth is of the first one's shape"
    assert "3 of 4 rows have a result; 1 stays empty." in wide.inner_text()
    wide.get_by_role("button", name="+ rules").click()
    wide.get_by_label("Column", exact=True).fill("fate")
    wide.get_by_text("Write or paste rules as text").click()
    text = "if germ >= 85 and lot is filled then sow; between 60 and 84 test again; germn 3 then x; otherwise discard"
    wide.get_by_label("Rules as lines of text").fill(text)
    wide.get_by_role("button", name="Read them").click()
    page.locator(".made-columns", has_text="by rules").wait_for()
    page.wait_for_function("() => [...document.querySelectorAll('.is-made')].some((e) => e.textContent === 'discard')")
    assert set(gives(page)) == {"sow", "test again", "discard"}
    page.locator(".rules-taken", has_text="2 rows of fate by rule 1 → sow").wait_for()
    assert "1 row of fate by no rule → discard" in page.locator(".rules-taken").inner_text()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Apply").click()
    page.wait_for_function("() => updraft.state.steps.calculate?.status === 'fresh' && updraft.drafts.size === 0")
    settle(page)
    assert [row[-2:] for row in cells(page, 4, 5)] == [[5, "sow"], [40, "test again"], [None, "discard"], [9, "sow"]]


def test_families_of_spellings_are_decided_by_keys_and_stay_decided(page):
    names = ["Green Zebra"] * 9 + [
        "green zebra ",
        "Green Zembra",
        "Rampion Blue",
        "Rampion Blue",
        "Rampion Blu",
        "Salsify",
        "Chard",
    ]
    text = "lot,variety\n" + "".join(f"L{n},{name}\n" for n, name in enumerate(names))
    on_file(page, "names.csv", text, "merge look-alikes", column="variety", close=True, strictness=0.8)
    wide = page.locator("#wide")
    page.locator(".family-list button").first.wait_for()
    assert page.locator(".family-list .name strong").all_inner_texts() == ["Green Zebra", "Rampion Blue"]
    assert "2 families may each be one thing" in page.locator(".wide-about").inner_text()
    assert violations(page) == []
    page.locator(".family-list button").first.focus()
    page.keyboard.press("Enter")
    page.locator(".family-title", has_text="Rampion Blue").wait_for()
    page.keyboard.press("n")
    page.wait_for_function(
        "() => Object.keys(updraft.wide.work.answers).length || updraft.wide.work.answers.size === 3"
    )
    page.locator(".family-list", has_text="No family here").wait_for()
    assert page.evaluate("Object.fromEntries(updraft.wide.work.answers)") == {
        "green zebra ": "Green Zebra", "Green Zembra": "Green Zebra", "Rampion Blu": "Rampion Blu",
    }  # fmt: skip
    wide.get_by_label("Strictness").fill("0.95")
    page.locator(".strictness", has_text="0.95: about").wait_for()
    page.keyboard.press("Escape")
    settle(page)
    page.wait_for_function("() => updraft.table?.step === 'merge_look_alikes'")
    merged = [row[1] for row in cells(page, len(names), 2)]
    assert merged == ["Green Zebra"] * 11 + ["Rampion Blue", "Rampion Blue", "Rampion Blu", "Salsify", "Chard"]


def test_rows_are_picked_in_the_table_by_the_space_bar_and_held_by_their_key(page):
    page.goto("/")
    lines = "".join(f"{'Fen' if n % 2 else 'Dale'},L{n},{n * 5}\n" for n in range(8))
    dropped(page, "#drop", "lots.csv", f"hub,lot,grams\n{lines}")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    page.wait_for_function("() => updraft.grid.facts?.size === 3")
    page.evaluate("updraft.grid.grid.setActiveCell(2, 1); updraft.grid.focus()")
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Space")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'pick_rows' && updraft.table?.step === 'pick_rows'")
    settle(page)
    assert page.evaluate("updraft.state.steps.pick_rows.settings.keys") == ["lot"], "the column that tells rows apart"
    page.evaluate("updraft.grid.grid.setActiveCell(3, 1); updraft.grid.focus()")
    page.keyboard.press("Space")
    page.wait_for_function("() => updraft.drafts.get('pick_rows')?.rows.length === 1")
    assert page.locator(".picked-rows .name").all_inner_texts() == ["L2"], "picked again, a row is left"
    page.locator(".pick").get_by_text("dropped", exact=True).click()
    page.get_by_role("button", name="Apply").click()
    page.wait_for_function("() => updraft.drafts.size === 0 && updraft.table?.rows === 7")
    assert violations(page) == []


def test_a_part_that_is_marked_in_a_cell_is_taken_out_of_every_row(page):
    page.goto("/")
    lines = "".join(f"L{n},{n + 1} x {n * 5 + 5} g\n" for n in range(8))
    dropped(page, "#drop", "lots.csv", f"lot,amount\n{lines}")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    page.evaluate("updraft.grid.grid.setActiveCell(2, 2); updraft.grid.focus()")
    page.keyboard.press("Enter")
    page.locator("dialog", has_text="Keep only rows with it").wait_for()
    assert violations(page) == []
    page.keyboard.type("x")
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    page.locator("dialog", has_text="“15” is marked").wait_for()
    page.locator("dialog .reading", has_text="part 3 of amount at a blank").first.click()
    page.wait_for_function("() => updraft.state.steps.calculate?.status === 'fresh'")
    assert cells(page, 8, 3) == [[f"L{n}", f"{n + 1} x {n * 5 + 5} g", f"{n * 5 + 5}"] for n in range(8)]


def test_what_fits_several_cells_is_offered(page):
    page.goto("/")
    lines = "".join(f"L{n},{hub}\n" for n, hub in enumerate(["Fen", "Fen", "Fenn", "FEN", "Dale"]))
    dropped(page, "#drop", "lots.csv", f"lot,hub\n{lines}")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    page.evaluate("updraft.grid.grid.setActiveCell(0, 2); updraft.grid.focus()")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Enter")
    page.locator("dialog", has_text="4 cells of hub").wait_for()
    assert violations(page) == []
    page.get_by_role("button", name="Make them all “Fen”").click()
    page.wait_for_function("() => updraft.state.steps.recode_values?.status === 'fresh'")
    page.wait_for_function("() => updraft.table?.step === 'recode_values'")
    assert [row[1] for row in cells(page, 5, 2)] == ["Fen"] * 4 + ["Dale"]
