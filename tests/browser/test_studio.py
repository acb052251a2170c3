"""The studio as people live in it: looking, editing, undoing, running, and what is seen when something is wrong."""

import json

import openpyxl
import pytest

from tests.browser.conftest import open_at, open_demo, settle, violations
from tests.browser.flows import copied_demo
from tests.browser.hands import Mouse


def cell(page, row: int, column: str) -> str:
    """The text of a cell in sight."""
    return page.evaluate(
        """([row, name]) => { const grid = updraft.grid.grid; const at = grid.getColumnIndex(name);
      grid.scrollRowIntoView(row); grid.scrollCellIntoView(row, at); return grid.getCellNode(row, at)?.textContent; }""",
        [row, column],
    )


def foot(page) -> str:
    return page.locator("#foot-size").inner_text() + " | " + page.locator("#foot-did").inner_text()


def copy_of_demo(page) -> None:
    """Work on a copy, so that tests do not meet."""
    open_at(page, copied_demo(page))


def pick(page, stop: str) -> None:
    page.locator(f"[data-step={stop}]").click()
    page.wait_for_function(
        f"() => updraft.selected === '{stop}' && updraft.looks && document.getElementById('busy').hidden"
    )
    settle(page)


def test_what_a_step_changed_is_tinted_with_the_value_before(page):
    open_demo(page, "recode_variety")
    assert foot(page) == "1,213 rows × 9 columns | 95 cells changed in 1 column"
    page.locator(".chip-fresh").click()
    page.wait_for_function(
        "() => document.getElementById('foot-size').textContent.startsWith('95 of 1,213') || updraft.grid.length === 95"
    )
    settle(page)
    changed = page.locator(".slick-cell.changed")
    assert changed.count() > 10
    for text in changed.all_inner_texts()[:10]:
        new, was = text.split("\n") if "\n" in text else (text, "")
        assert new or was
    assert "Brandywine" in " ".join(page.locator(".slick-cell.changed").all_inner_texts())


def test_sorting_for_reading_and_the_value_list_change_no_data(page):
    open_demo(page, "orders")
    revision = page.evaluate("updraft.state.revision")
    page.get_by_role("button", name="Sort by Packets for reading").click()
    page.get_by_role("button", name="Sort by Packets for reading").click()
    settle(page)
    assert cell(page, 0, "Order") == "Total" and cell(page, 1, "Packets") == "100"
    page.get_by_role("button", name="Variety, text: show in the panel").click()
    page.wait_for_selector(".value-rows .v")
    page.get_by_label("Find a value of Variety").fill("krim")
    page.wait_for_function(
        "() => [...document.querySelectorAll('.value-rows .v')].every((v) => /krim/i.test(v.textContent))"
    )
    assert page.evaluate("updraft.state.revision") == revision


def test_cells_are_copied_the_way_a_spreadsheet_takes_them(page):
    open_demo(page, "summarise")
    page.keyboard.press("Alt+2")
    for key in ("Shift+ArrowDown", "Shift+ArrowRight", "Shift+ArrowRight"):
        page.keyboard.press(key)
    page.keyboard.press("Control+c")
    page.wait_for_selector(".notice")
    lines = page.evaluate("navigator.clipboard.readText()").split("\n")
    assert [line.split("\t")[:2] for line in lines] == [["Aldermere", "Black Krim"], ["Aldermere", "Blue Lake"]]
    assert all(line.split("\t")[2].isdigit() for line in lines)


def test_editing_in_the_middle_and_everything_after_follows_and_comes_back(page):
    copy_of_demo(page)
    pick(page, "write")
    assert foot(page).startswith("126 rows")
    page.locator("[data-step=recode_variety]").focus()
    page.keyboard.press("Shift+Space")
    page.wait_for_function("() => updraft.state.steps.recode_variety.status === 'off'")
    settle(page)
    page.wait_for_function("() => updraft.state.steps.write.rows > 126")
    more = page.evaluate("updraft.state.steps.write.rows")
    page.locator("#undo").click()
    page.wait_for_function("() => updraft.state.steps.write.rows === 126 && !updraft.state.pending")
    page.locator("#redo").click()
    page.wait_for_function("n => updraft.state.steps.write.rows === n && !updraft.state.pending", arg=more)
    page.locator("#undo").click()
    page.wait_for_function("() => updraft.state.steps.write.rows === 126 && !updraft.state.pending")

    page.locator("[data-step=tidy]").focus()
    page.keyboard.press("Alt+ArrowDown")
    page.wait_for_function("() => updraft.state.steps.tidy.main === 'recode_variety' && !updraft.state.pending")
    page.locator("[data-step=kinds]").click(button="right")
    page.get_by_role("menuitem", name="Copy").click()
    page.wait_for_function("() => updraft.state.course.stops.length === 11")
    page.locator("[data-step=set_types]").focus()
    page.keyboard.press("Delete")
    page.wait_for_function("() => updraft.state.course.stops.length === 10")
    pick(page, "kinds")
    page.locator("#step-note").fill("Three ways of writing a day")
    page.locator("#step-note").blur()
    page.wait_for_function("() => updraft.state.steps.kinds.note.startsWith('Three')")
    page.locator("#history").click()
    page.wait_for_selector(".history button")
    sentences = page.locator(".history button").all_inner_texts()
    assert (
        "Wrote a note" in sentences[0]
        and "Removed" in sentences[1]
        and "Copied" in sentences[2]
        and "Moved" in sentences[3]
    )
    page.locator(".history button").last.click()
    page.wait_for_function("() => updraft.state.revision === 1")
    assert page.evaluate("updraft.state.steps.kinds.note") == ""


def test_settings_are_tried_before_they_are_applied(page):
    copy_of_demo(page)
    pick(page, "tidy")
    page.get_by_text("UPPER", exact=True).click()
    page.wait_for_function(
        "() => /cells changed in 3 columns/.test(document.getElementById('foot-did').textContent) && !document.getElementById('foot-did').textContent.startsWith('194')"
    )
    assert page.evaluate("updraft.state.steps.tidy.settings.case ?? 'keep'") == "keep"
    page.keyboard.press("Escape")
    page.wait_for_function("() => document.getElementById('foot-did').textContent.startsWith('194')")
    assert page.evaluate("updraft.state.revision") == 1


def test_april_by_changing_one_thing_and_its_file(page, tmp_path):
    open_demo(page)
    page.locator("#run").click()
    page.get_by_label("month").fill("2026-04")
    page.get_by_role("button", name="Run now").click()
    with page.expect_download() as download:
        page.locator(".result-card a", has_text="packet_report_2026-04.xlsx").click(timeout=90_000)
    download.value.save_as(tmp_path / "x.xlsx")
    assert openpyxl.load_workbook(tmp_path / "x.xlsx")["Packets"].max_row == 123
    done = page.locator(".run-steps > li").all_inner_texts()
    assert len(done) == 10 and "1,343 rows" in done[0] and all("ms" in text for text in done)
    page.goto(page.url.split("?")[0] + "/runs")
    page.wait_for_selector(".state-ok")
    assert "month = 2026-04" in page.locator("details.run").first.inner_text()


def test_a_broken_file_is_said_in_the_page_and_the_flow_stays_as_it_was(page, tmp_path):
    copy_of_demo(page)
    for name, content, said in (
        ("half.xlsx", b"PK\x03\x04 cut off", "cannot be opened as a workbook"),
        ("none.csv", b"", "the file is empty"),
    ):
        (tmp_path / name).write_bytes(content)
        Mouse(page).bring_in(tmp_path / name)
        page.locator(".notice-problem", has_text=said).wait_for()
    assert page.evaluate("updraft.state.course.stops.length") == 10


def test_a_column_that_is_gone_is_said_at_its_step_and_what_follows_leads_there(page):
    copy_of_demo(page)
    pick(page, "recode_variety")
    page.evaluate(
        """async () => { await updraft.edit([{op: 'add', after: 'tidy', step: {id: 'gone', kind: 'choose_columns', name: 'Without variety', settings: {drop: ['Variety']}}}]); }"""
    )
    page.wait_for_function("() => updraft.state.steps.recode_variety.status === 'problem'")
    settle(page)
    assert "Column “Variety”" in page.locator(".desk .field-says:visible").first.inner_text()
    assert page.locator(".slick-row").count() > 5, "what comes in is shown"
    pick(page, "summarise")
    said = page.locator("#grid-empty, #table-problem").filter(visible=True)
    said.filter(has_text="“One spelling per variety”").wait_for()
    page.get_by_role("button", name="Go").first.click()
    page.wait_for_function("() => updraft.selected === 'recode_variety'")


def wide_flow() -> str:
    """60 steps in 8 lanes, 200 columns, names of 60 characters, other alphabets."""
    names = [f"Überlieferte Sorte {n} — 品種 с очень длинным именем столбца"[:60] for n in range(200)]
    steps = [
        {
            "id": f"r{n}",
            "kind": "read_file",
            "name": f"Quelle {n} mit einem sehr langen Namen für eine einzige Tabelle",
            "settings": {"path": "wide.csv"},
        }
        for n in range(8)
    ]
    heads = [f"r{n}" for n in range(8)]
    for n in range(45):
        lane = n % 8
        steps.append({"id": f"t{n}", "kind": "tidy_text", "settings": {}, "inputs": {"table": heads[lane]}})
        heads[lane] = f"t{n}"
    for lane in range(
        7
    ):  # each table looks up in what the lanes to its right have come to, so that all are open at once
        bring = [{"column": names[1], "name": f"Gebracht {lane}"}]
        steps.append(
            {
                "id": f"j{lane}",
                "kind": "look_up",
                "settings": {"keys": [{"column": names[0], "reference": names[0]}], "bring": bring},
                "inputs": {"table": heads[lane], "reference": heads[7] if lane == 0 else f"j{lane - 1}"},
            }
        )
    return json.dumps(
        {"updraft": 1, "name": "Ein Ablauf mit sechzig Schritten in acht Bahnen und sehr langem Namen", "steps": steps}
    ), names


def test_sixty_steps_in_eight_lanes_and_two_hundred_columns_hold(page, tmp_path):
    document, names = wide_flow()
    (tmp_path / "wide.updraft.json").write_text(document)
    (tmp_path / "wide.csv").write_text(
        ",".join(names) + "\n" + "\n".join(",".join(f"{r}v{c}" for c in range(200)) for r in range(50)) + "\n"
    )
    page.set_viewport_size({"width": 1024, "height": 800})
    page.goto("/")
    page.locator("#import-file").set_input_files(tmp_path / "wide.updraft.json")
    page.wait_for_function("() => window.updraft?.state.course.stops.length === 60")
    assert page.evaluate("updraft.state.course.lanes") == 8
    page.evaluate(
        """async (text) => { const form = new FormData(); form.append('file', new File([text], 'wide.csv'));
      await fetch(`/api/flows/${updraft.flow}/files`, {method: 'POST', body: form, headers: {'X-CSRFToken': document.querySelector('meta[name=csrf-token]').content}}); }""",
        (tmp_path / "wide.csv").read_text(),
    )
    page.reload()
    page.wait_for_function("() => updraft.state.steps.j6.status === 'fresh'", timeout=90_000)
    page.locator("[data-step=j6]").click()
    page.wait_for_function("() => updraft.table?.step === 'j6'")
    settle(page)
    assert foot(page).startswith("50 rows × 201 columns")
    for width in (1024, 1280):
        page.set_viewport_size({"width": width, "height": 800})
        page.evaluate("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), "nothing sticks out of the page"
        overlapping = page.evaluate("""() => [...document.querySelectorAll('.stop')].filter((stop) => { const box = stop.getBoundingClientRect();
          return [...stop.querySelectorAll('span')].some((part) => { const inner = part.getBoundingClientRect(); return inner.width && (inner.right > box.right + 1 || inner.bottom > box.bottom + 1) && getComputedStyle(part).position !== 'absolute'; }); }).length""")
        assert overlapping == 0
        assert cell(page, 49, "Gebracht 6") == "49v1"


OPEN = {
    "home": lambda page: page.goto("/"),
    "problem": lambda page: page.goto("/flows/000000000000"),
    "connections": lambda page: page.goto("/connections"),
    "empty": lambda page: (page.goto("/"), page.get_by_role("button", name="New flow", exact=True).click()),
    "studio": lambda page: None,
    "file": lambda page: pick(page, "orders"),
    "column": lambda page: page.get_by_role("button", name="Grower, text: show in the panel").click(),
    "flow": lambda page: page.locator("#flow-name").click(),
    "history": lambda page: page.locator("#history").click(),
    "run": lambda page: page.locator("#run").click(),
    "runs": lambda page: page.goto(page.url.split("?")[0] + "/runs"),
    "description": lambda page: page.goto(page.url.split("?")[0] + "/description"),
    "add": lambda page: page.keyboard.press("Control+k"),
    "keys": lambda page: page.keyboard.press("?"),
    "wide": lambda page: (
        pick(page, "recode_variety"),
        page.keyboard.press("Alt+w"),
        page.wait_for_selector(".wide-head"),
    ),
    "calculate": lambda page: across(page, "Requests in grams", "parts", ".gives-rows"),
    "look-alikes": lambda page: across(page, "How seed is packed", "merge", ".family-list button"),
}


def across(page, flow: str, step: str, until: str) -> None:
    """A step of a ready-made flow across the window."""
    page.goto("/")
    page.get_by_role("link", name=flow, exact=True).first.click()
    page.wait_for_selector(".slick-row")
    page.locator(f"[data-step={step}]").click()
    page.wait_for_function(f"() => updraft.table?.step === '{step}'")
    settle(page)
    page.keyboard.press("Alt+w")
    page.wait_for_selector(until)


# Controls of which a part lies outside the window, where nothing can be scrolled to bring it in.
OUTSIDE = """() => [...document.querySelectorAll("button, input, select, a, textarea")].filter((e) => {
  const box = e.getBoundingClientRect();
  if (!e.checkVisibility({ checkVisibilityCSS: true }) || !box.width || e.matches(".visually-hidden, .skip, .slick-header *")) return false;
  if (box.left >= -1 && box.right <= innerWidth + 1) return false;
  for (let up = e.parentElement; up; up = up.parentElement) {
    if (up.scrollWidth > up.clientWidth + 1 && /auto|scroll/.test(getComputedStyle(up).overflowX)) return false;
    if (up.matches(".course, .slick-viewport")) return false;
  }
  return true;
}).map((e) => e.outerHTML.slice(0, 120))"""


@pytest.mark.parametrize("view", OPEN)
def test_every_view_holds_at_every_width_and_is_accessible(page, view):
    if view not in ("home", "problem", "connections", "empty", "calculate", "look-alikes"):
        open_demo(page, "look_up")
    OPEN[view](page)
    page.wait_for_timeout(400)
    for width, height in ((1600, 900), (1280, 800), (1024, 700), (640, 400)):  # the last: 1280 by 800 at 200 %
        page.set_viewport_size({"width": width, "height": height})
        page.wait_for_timeout(150)
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), (width, "something sticks out")
        assert page.evaluate(OUTSIDE) == [], width
        if width == (640 if view in ("studio", "wide", "add", "calculate") else 1280):
            assert violations(page) == [], width
