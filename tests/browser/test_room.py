"""Room for the data, words, ways in, and gestures that a new user looks for."""

import io
import json
import re

import pytest
from pypdf import PdfReader

from tests.browser.conftest import open_demo, settle, violations
from tests.browser.flows import imported
from tests.browser.hands import Mouse, added, brought
from tests.browser.test_desk import dropped
from tests.browser.test_studio import cell, copy_of_demo, pick
from updraft.core.steps import kinds

ROOM = """() => { const at = document.getElementById('grid').getBoundingClientRect();
  const inside = (e) => { const b = e.getBoundingClientRect(); return b.width && b.right <= at.right + 1 && b.bottom <= at.bottom + 1; };
  const rows = new Set([...document.querySelectorAll('.slick-row')].filter(inside).map((e) => e.getBoundingClientRect().top));
  return [[...document.querySelectorAll('.slick-header-column')].filter(inside).length - 1, rows.size]; }"""


@pytest.mark.parametrize("width, height, columns, rows", [(1280, 800, 8, 25), (1024, 700, 5, 21), (1600, 900, 9, 29)])
def test_the_march_table_has_the_room_beside_the_open_panel(page, width, height, columns, rows):
    page.set_viewport_size({"width": width, "height": height})
    open_demo(page, "recode_variety")
    page.wait_for_timeout(200)
    seen = page.evaluate(ROOM)
    assert seen[0] >= columns and seen[1] >= rows, seen
    cut = page.evaluate(
        "[...document.querySelectorAll('.slick-cell.num')].filter((e) => e.scrollWidth > e.clientWidth + 1).map((e) => e.textContent)"
    )
    assert not cut, "a number that is cut off is another number"
    assert not violations(page)


def test_the_header_says_the_type_in_words(page):
    open_demo(page, "recode_variety")
    facts = page.evaluate(
        "Object.fromEntries([...document.querySelectorAll('.slick-header-column[data-id]')].map((e) => [e.dataset.id, e.querySelector('.head-fact')?.textContent]))"
    )
    assert facts["Variety"] == "text · 24 values" and facts["Packets"] == "3 empty · whole"
    assert not page.get_by_text("Course").count() and page.get_by_role("button", name="Hide panel").is_visible()


def test_a_view_sorted_for_reading_becomes_a_step_and_the_first_rows_are_those(page):
    copy_of_demo(page)
    pick(page, "tidy")
    page.locator(".slick-header-column[data-id='Packets']").hover()
    page.get_by_label("Sort by Packets for reading").click()
    page.get_by_role("button", name="Sort for good").click()
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'sort_rows'")
    settle(page)
    assert page.evaluate("updraft.state.steps.sort_rows.settings.order") == [{"column": "Packets", "down": False}]
    assert page.evaluate("updraft.state.steps.recode_variety.main") == "sort_rows"
    least = page.evaluate("updraft.grid.item(0).cells[updraft.table.columns.findIndex((c) => c.name === 'Packets')]")
    assert cell(page, 0, "Packets") == str(least) and not page.get_by_role("button", name="Sort for good").count()


def test_a_step_in_the_middle_goes_here_or_on_a_branch_of_its_own(page):
    copy_of_demo(page)
    pick(page, "tidy")
    page.keyboard.press("Control+k")
    page.get_by_text("As a branch of its own").wait_for()
    assert not violations(page)
    page.keyboard.type("exclude")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Shift+Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'drop_rows'")
    steps = page.evaluate("Object.fromEntries(Object.values(updraft.state.steps).map((s) => [s.id, s.main]))")
    branch = page.evaluate("updraft.selected")
    assert steps[branch] == "tidy" and steps["recode_variety"] == "tidy", "what follows stays as it was"
    pick(page, "tidy")
    page.keyboard.press("Control+k")
    page.keyboard.type("remove duplicates")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'remove_duplicates'")
    assert page.evaluate("updraft.state.steps.recode_variety.main") == "remove_duplicates"


SLOW_KINDS = """() => {
  const asked = window.fetch;
  window.fetch = async (...what) => {
    if (String(what[0]).includes("/kinds?")) await new Promise((told) => setTimeout(told, 300));
    return asked(...what);
  };
}"""


def test_steps_that_are_added_fast_stand_in_their_order_and_no_typing_is_taken_away(page):
    read = [{"id": "it", "kind": "read_file", "settings": {"path": "it.csv"}}]
    page.goto(imported(page, {"updraft": 6, "name": "Fast", "steps": read}, {"it.csv": "hub,grams\nFen,5\nDale,6\n"}))
    page.wait_for_selector(".slick-row")
    page.evaluate(SLOW_KINDS)
    for words in ("tidy text", "sort rows", "take rows", "summarise"):  # nobody waits for lists or tables
        page.keyboard.press("Control+k")
        page.keyboard.type(words)
        page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.selected === 'summarise' && updraft.stepDesk.step?.id === 'summarise'")
    settle(page)
    order = [
        ("it", None),
        ("tidy_text", "it"),
        ("sort_rows", "tidy_text"),
        ("take_rows", "sort_rows"),
        ("summarise", "take_rows"),
    ]
    assert page.evaluate("updraft.course.order().map((id) => [id, updraft.state.steps[id].main])") == [
        list(one) for one in order
    ]
    assert page.evaluate("document.activeElement.closest('#desk') !== null"), "where the new step is set"
    assert page.locator("#add-drop").is_hidden()
    page.keyboard.press("Control+k")
    page.keyboard.type("xyzzy")
    page.keyboard.press("Enter")
    page.get_by_text("No step does “xyzzy”").wait_for()
    assert page.locator("#add-box").input_value() == "xyzzy", "what nothing fits is given back"
    page.keyboard.press("Escape")
    page.evaluate("updraft.select('it')")
    settle(page)
    assert violations(page) == []


def test_all_ways_in_stand_on_the_empty_flow_in_the_menu_and_on_the_first_page(page, tmp_path):
    page.goto("/")
    page.get_by_role("button", name="a typed table").click()
    page.wait_for_function("() => window.updraft?.stepDesk.step?.kind === 'type_in_a_table'")
    page.goto("/")
    page.locator("#new-flow").click()
    page.wait_for_selector(".welcome")
    cards = page.locator(".way strong").all_inner_texts()
    assert (
        cards[:5] == ["A file", "A folder of files", "Pasted cells", "A typed table", "A database"] and len(cards) == 9
    )
    assert not violations(page)
    page.get_by_role("button", name="Bring in", exact=True).click()
    assert page.get_by_role("menuitem").all_inner_texts() == cards
    page.keyboard.press("Escape")
    (tmp_path / "lots.csv").write_text("Lot,Grams\nL1,20\nL2,35\n")
    Mouse(page).bring_in(tmp_path / "lots.csv")
    page.wait_for_selector(".slick-row")
    settle(page)
    assert page.evaluate("updraft.table.rows") == 2


def test_among_many_columns_all_means_those_that_are_shown(page):
    names = [f"{'Packets' if n % 2 else 'Grams'} {2000 + n}" for n in range(400)]
    page.goto("/")
    dropped(page, "#drop", "wide.csv", "Lot," + ",".join(names) + "\n" + "L1" + ",1" * 400 + "\nL2" + ",2" * 400 + "\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("choose columns")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'choose_columns'")
    page.get_by_role("button", name="None", exact=True).click()
    page.get_by_label("Find in Columns").fill("Packets 20*")
    page.get_by_role("button", name="All shown").click()
    page.wait_for_function("() => updraft.table.columns.length === 50")
    assert page.evaluate("updraft.table.columns.map((c) => c.name)") == [n for n in names if n.startswith("Packets 20")]


def test_years_stand_without_a_comma_amounts_with_one_and_a_person_may_choose(page):
    rows = "".join(f"{2010 + n},{n * 1234 + 9000}\n" for n in range(8))
    page.goto("/")
    dropped(page, "#drop", "sold.csv", f"Year,Packets\n{rows}")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    assert (cell(page, 0, "Year"), cell(page, 0, "Packets")) == ("2010", "9,000")
    page.get_by_role("button", name="Packets, whole number: show in the panel").click()
    page.get_by_role("button", name="1,234: thousands apart").click()
    assert cell(page, 0, "Packets") == "9000"
    page.get_by_role("tab", name="Histogram").click()
    page.get_by_text("Largest").wait_for()
    figures = page.locator("#column-tab").inner_text()
    assert "17638" in figures and page.get_by_label("To", exact=True).input_value() == "17638"
    page.reload()
    page.wait_for_selector(".slick-row")
    settle(page)
    assert cell(page, 1, "Packets") == "10234", "the choice is kept"


def test_another_file_taken_at_a_run_is_the_one_it_reads(page, world, tmp_path):
    copy_of_demo(page)
    other = tmp_path / "growers_in_may.xlsx"
    other.write_bytes((world / "growers.xlsx").read_bytes())
    page.locator("#run").click()
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Bring in another file for Growers").click()
    chooser.value.set_files(other)
    page.wait_for_function(
        "() => [...document.querySelectorAll('#desk select')].some((s) => s.value === 'growers_in_may.xlsx')"
    )
    assert page.get_by_label("Growers", exact=True).input_value() == "growers_in_may.xlsx"


OFFERED = """() => Object.fromEntries([...updraft.stepDesk.form.fields].map(([name, { field, property }]) => [name, {
  port: property.port ?? "table",
  lists: [...field.querySelectorAll("select")].map((s) => [...s.options].map((o) => o.value)).concat(
    [[...field.querySelectorAll("input[type=checkbox]")].map((box) => box.getAttribute("aria-label") ?? box.closest("label")?.textContent.trim() ?? "")]),
}]))"""


ABOUT_COLUMNS = re.compile('"widget": "(column|columns|names|types|keys|bring|rule|figures|chosen|order)')


def test_fields_offer_the_columns_of_the_table_they_are_about(page):
    """For every kind of step, from what it declares: a field that is bound to a port shows that port's columns."""
    texts = {"left": "left a,left b\nx,1\ny,2\n", "right": "right a,right b\nx,1\ny,2\n"}
    read = [{"id": side, "kind": "read_file", "settings": {"path": f"{side}.csv"}} for side in texts]
    tried, steps = [], []
    for kind in kinds().values():
        if kind.role == "source" or not ABOUT_COLUMNS.search(json.dumps(kind.Settings.model_json_schema())):
            continue
        chosen = {**kind.starting_settings(), **({"by": "list"} if kind.kind == "rename_columns" else {})}
        ports = {port.name: "left" if port.main else "right" for port in kind.inputs}
        steps.append({"id": kind.kind, "kind": kind.kind, "settings": chosen, "inputs": ports})
        tried.append(kind.kind)
    files = {f"{side}.csv": text for side, text in texts.items()}
    flow = imported(page, {"updraft": 3, "name": "Ports", "steps": [*read, *steps]}, files)
    page.goto(f"{flow}?step=left")
    page.wait_for_selector(".slick-row")
    seen = set()
    for kind in tried:
        page.evaluate(f"updraft.select({json.dumps(kind)})")
        page.wait_for_function(f"() => updraft.stepDesk.step?.id === {json.dumps(kind)} && updraft.stepDesk.form")
        for name, found in page.evaluate(OFFERED).items():
            sides = [
                {side for side in texts for one in offered if one.startswith(f"{side} ")} for offered in found["lists"]
            ]
            assert all(len(side) < 2 for side in sides), (kind, name, found)
            offered = set().union(*sides)
            if found["port"] not in ("table", "self") and name not in ("keys", "fields"):
                assert offered == {"right"}, (kind, name, found)
                seen.add((kind, name))
            elif found["port"] == "table":
                assert offered <= {"left"}, (kind, name, found)
    assert len(seen) >= 6, seen


def test_a_step_that_breaks_others_says_which_and_becomes_a_branch(page):
    copy_of_demo(page)
    pick(page, "recode_variety")
    page.keyboard.press("Control+k")
    page.keyboard.type("choose columns")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'choose_columns'")
    settle(page)
    page.get_by_label("Keep Grower", exact=True).uncheck()
    page.get_by_role("button", name="Apply").click()
    told = page.locator(".notice-problem")
    told.wait_for()
    assert (
        "breaks “Look up hub and name”. Column “Grower”" in told.inner_text()
        and "2 steps after it wait" in told.inner_text()
    )
    assert not violations(page)
    page.get_by_role("button", name="Make “Choose columns” a branch").click()
    page.wait_for_function("() => updraft.state.steps.look_up.status === 'fresh'")
    assert page.evaluate("updraft.state.steps.kinds.main") == "recode_variety"
    assert page.evaluate("updraft.state.steps.choose_columns.status") == "fresh"


def test_no_step_for_it_is_said(page):
    open_demo(page, "tidy")
    page.keyboard.press("Control+k")
    page.get_by_text("Used most").wait_for()
    page.keyboard.type("geocode")
    page.get_by_text("No step does “geocode”").wait_for()
    page.keyboard.press("Control+a")
    page.keyboard.type("round")
    page.wait_for_function("() => document.querySelector('.add-option strong')?.textContent === 'Round numbers'")


def test_a_table_is_printed_as_a_table(page):
    open_demo(page, "tidy")
    page.evaluate("updraft.grid.grid.scrollRowToTop(40)")
    settle(page)
    text = "".join(sheet.extract_text() for sheet in PdfReader(io.BytesIO(page.pdf())).pages)
    assert "March packet report" in text and "After “Tidy text”: rows 41 to" in text and "of 1,213" in text
    assert "Ordered on" in text and "Run flow" not in text and page.locator("#printed table").count() == 0
    assert cell(page, 45, "Order") in text and cell(page, 45, "Garden").split()[0] in text


def test_at_two_hundred_percent_the_table_has_the_room_and_steps_and_panel_come_when_asked(page):
    page.set_viewport_size({"width": 640, "height": 400})
    open_demo(page)
    page.mouse.move(400, 300)
    room = lambda id: page.evaluate(f"document.getElementById('{id}').getBoundingClientRect().width")  # noqa: E731
    assert room("grid") > 550 and room("course") < 90 and not page.locator("#desk").is_visible()
    page.locator("[data-step=tidy]").focus()
    assert room("course") > 200 and room("grid") > 550, "the steps lie over the table while one is among them"
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Show panel").click()
    page.wait_for_function("() => document.querySelector('#desk .desk-head').textContent.includes('Tidy text')")


def test_other_alphabets_are_read_from_their_own_side(page):
    rows = "שם,数量,Сорт\nעגבנייה,12,Томат\nطماطم,7,ไทย\n"
    page.goto("/")
    dropped(page, "#drop", "alphabets.csv", rows)
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    side = """(text) => { const cell = [...document.querySelectorAll('.slick-cell')].find((c) => c.textContent.includes(text));
      const range = document.createRange(); range.selectNodeContents(cell);
      const [inner, box] = [range.getBoundingClientRect(), cell.getBoundingClientRect()];
      return inner.left - box.left > box.right - inner.right ? "right" : "left"; }"""
    assert [page.evaluate(side, text) for text in ("עגבנייה", "طماطم", "Томат")] == ["right", "right", "left"]
    assert [column["name"] for column in page.evaluate("updraft.table.columns")] == ["שם", "数量", "Сорт"]


def test_the_title_keeps_its_room_and_chips_go_behind_more(page):
    copy_of_demo(page)
    pick(page, "look_up")
    for width in (1024, 1280, 1600):
        page.set_viewport_size({"width": width, "height": 800})
        page.wait_for_function(
            "() => { const bar = document.getElementById('focus-bar'); return bar.scrollWidth <= bar.clientWidth; }"
        )
        assert page.evaluate(
            "(() => { const t = document.querySelector('.focus-bar h2'); return t.scrollWidth <= t.clientWidth + 1; })()"
        ), width
        # What stands in the search box is not cut off either.
        assert page.evaluate("""(() => { const box = document.querySelector('.table-search'), like = document.createElement('canvas').getContext('2d');
          like.font = getComputedStyle(box).font; const { paddingLeft, paddingRight } = getComputedStyle(box);
          return like.measureText(box.placeholder).width <= box.clientWidth - parseFloat(paddingLeft) - parseFloat(paddingRight) + 1; })()"""), (
            width
        )
        every = page.locator("#focus-bar .chip:not(summary)").all_text_contents()
        assert len(every) == len(set(every)) and any("Result" in text for text in every)
    page.set_viewport_size({"width": 1024, "height": 800})
    page.locator(".chips-behind summary").click()
    chip = page.locator(".chips-folded .chip").first
    assert chip.is_visible() and violations(page) == []
    page.keyboard.press("Escape")
    assert not chip.is_visible()


def test_tab_leaves_the_table_in_both_directions(page):
    copy_of_demo(page)
    pick(page, "tidy")
    inside = "(() => { const e = document.activeElement; return e.closest('#grid') !== null && !e.closest('.slick-header'); })()"
    for key in ("Tab", "Shift+Tab"):
        page.evaluate("updraft.grid.focus()")
        page.keyboard.press("ArrowRight")
        assert page.evaluate(inside)
        for _ in range(3):
            page.keyboard.press(key)
        assert not page.evaluate(inside), key


def test_a_name_that_is_cut_off_is_shown_whole_under_the_pointer_and_the_focus(page):
    long = "Packets of the first sowing, counted at the hub before they were sent, in dozens"
    brought(page, "long.csv", f"Lot,{long.replace(',', ';')}\nL1,2\n")
    long = long.replace(",", ";")
    settle(page)
    added(page, "choose columns", "choose_columns")
    tip = page.locator(".whole-name")
    name = page.locator("#desk .row-item .name", has_text=long)
    name.hover()
    tip.wait_for(state="visible")
    assert tip.inner_text() == long
    at, over = name.bounding_box(), tip.bounding_box()
    assert over["y"] < at["y"] + at["height"] and at["y"] < over["y"] + over["height"], "over its place"
    assert over["x"] >= 0 and over["x"] + over["width"] <= 1280
    page.mouse.move(5, 5)
    tip.wait_for(state="hidden")
    page.get_by_role("button", name="None", exact=True).focus()
    for _ in range(12):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.ariaLabel?.startsWith('Keep Packets')"):
            break
    tip.wait_for(state="visible")
    assert tip.inner_text() == long
    assert violations(page) == []
    page.locator("#desk .row-item .name", has_text="Lot").first.hover()
    tip.wait_for(state="hidden")


def test_looking_at_step_after_step_leaves_nothing_behind(page):
    """Heads that are gone, and what was bound to them, go as well: a page stays as it was however long one works in it."""
    open_demo(page)
    stops = list(
        dict.fromkeys(page.evaluate("[...document.querySelectorAll('[data-step]')].map((stop) => stop.dataset.step)"))
    )
    stops = stops[::2]  # half of them, six times over
    browser = page.context.new_cdp_session(page)
    browser.send("Performance.enable")
    browser.send("HeapProfiler.enable")

    def held(rounds: int) -> dict[str, float]:
        for stop in stops * rounds:
            page.evaluate("stop => document.querySelector(`[data-step=${stop}]`).click()", stop)
            page.wait_for_function("stop => updraft.table?.step === stop", arg=stop)
            settle(page)
        page.evaluate("updraft.grid.freezeAt(2); updraft.grid.freezeAt(0)")
        for _ in range(2):
            browser.send("HeapProfiler.collectGarbage")
        metrics = browser.send("Performance.getMetrics")["metrics"]
        return {one["name"]: one["value"] for one in metrics if one["name"] in ("Nodes", "JSEventListeners")}

    held(1)
    before = [held(1) for _ in range(2)]
    after = [held(1) for _ in range(3)]
    for what in before[0]:  # what was drawn last may still be held: the least of the counts
        grown = min(one[what] for one in after) - min(one[what] for one in before)
        assert grown < 0.1 * min(one[what] for one in before), (what, before, after)
