"""The desk's forms and the rest of the studio's furniture: files, columns, side outputs, home, big tables, cancelling."""

import json
import re
import time

import polars as pl
import pytest

from tests.browser.conftest import open_demo, settle, violations
from tests.browser.hands import added, brought
from tests.browser.test_studio import cell, copy_of_demo, foot, pick


def applied(page) -> None:
    page.locator(".desk-foot").get_by_role("button", name="Apply").click()
    page.wait_for_function(
        "() => updraft.drafts.size === 0 && document.querySelector('.desk-foot .btn-primary').disabled"
    )
    settle(page)


def dropped(page, selector: str, name: str, content: str) -> None:
    """Drop a file the way a browser does."""
    page.evaluate(
        """([selector, name, content]) => {
      const data = new DataTransfer();
      data.items.add(new File([content], name));
      for (const type of ['dragenter', 'dragover', 'drop'])
        document.querySelector(selector).dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer: data }));
    }""",
        [selector, name, content],
    )


def test_a_file_dropped_on_the_first_page_becomes_a_flow_and_one_on_the_studio_a_lane(page):
    page.goto("/")
    dropped(page, "#drop", "stock_list.csv", "Lot;Grams\n007;5\n012;7\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    assert page.locator(".stop-name").inner_text() == "Stock list"
    assert cell(page, 0, "Lot") == "007", "leading zeros stay"
    dropped(page, "#grid", "hubs.csv", "Hub,Code\nAldermere,A\nColdwater,C\n")
    page.wait_for_function("() => updraft.state.course.lanes === 1 && updraft.state.course.stops.length === 2")
    settle(page)
    assert foot(page).startswith("2 rows × 2 columns")


def test_how_a_file_is_read_can_be_corrected(page, tmp_path):
    page.goto("/")
    dropped(page, "#drop", "odd.csv", "made on Monday\nLot|Hub|Grams\nL1|Aldermere|5\nL2|Coldwater|7\nL3|Saltmarsh|9\n")
    page.wait_for_selector(".slick-row")
    settle(page)
    assert foot(page).startswith("3 rows × 3 columns")
    found = page.locator(".field-found").filter(visible=True)
    found.filter(has_text="bar, because 4 of 5 lines split into 3").wait_for()
    found.filter(has_text="1 line above fills fewer").wait_for()
    assert page.locator(".raw-skipped").inner_text() == "1\nmade on Monday\nleft out"
    assert page.locator(".raw-header .raw-text").inner_text() == "Lot|Hub|Grams"
    page.locator(".pick").get_by_text("none", exact=True).click()
    page.wait_for_function("() => document.getElementById('foot-size').textContent.startsWith('4 rows')")
    page.get_by_label("Lines to skip", exact=True).fill("2")
    page.wait_for_function("() => document.getElementById('foot-size').textContent.startsWith('3 rows')")
    page.get_by_role("radiogroup", name="Header").get_by_text("find it").click()
    page.get_by_label("Lines to skip", exact=True).fill("1")
    page.get_by_text("Choose some").click()
    page.get_by_label("Hub", exact=True).uncheck()
    page.wait_for_function("() => document.getElementById('foot-size').textContent === '3 rows × 2 columns'")
    applied(page)
    assert page.locator(".stop-what").inner_text() == "odd.csv · Lot, Grams"
    page.get_by_label("Delimiter", exact=True).select_option(label="semicolon")
    page.wait_for_function(
        "() => !document.getElementById('grid-empty').hidden || document.getElementById('table-problem').textContent"
    )
    page.locator("#desk, #grid-empty").filter(
        has_text="none of the chosen columns is in the file any more"
    ).first.wait_for()
    page.keyboard.press("Escape")
    settle(page)


def test_columns_are_kept_dropped_renamed_and_moved_in_one_place(page):
    copy_of_demo(page)
    pick(page, "look_up")
    page.route("**/kinds?q=?*", lambda route: (time.sleep(0.4), route.continue_()))
    page.keyboard.press("Control+k")
    page.wait_for_selector(".add-option")
    page.keyboard.type("choose c", delay=40)
    page.keyboard.press("Enter")  # before the answer to what was typed is here
    page.wait_for_function("() => document.querySelectorAll('.chosen-list .row-item').length === 11")
    page.get_by_label("Keep Note").uncheck()
    page.get_by_label("New name of Full name").fill("Grower's name")
    grip = page.get_by_role("button", name="Place of Hub, 11 of 11; arrow keys move it")
    grip.focus()
    for _ in range(3):
        page.keyboard.press("ArrowUp")
    applied(page)
    names = page.evaluate("updraft.table.columns.map((c) => c.name)")
    assert names == [
        "Order",
        "Ordered on",
        "Grower",
        "Variety",
        "Region",
        "Garden",
        "Packets",
        "Hub",
        "Price",
        "Grower's name",
    ]
    settings = page.evaluate("updraft.state.steps.choose_columns.settings")
    assert settings["drop"] == ["Note"]
    origins = page.evaluate("Object.fromEntries(updraft.table.columns.map((c) => [c.name, c.origin]))")
    assert origins["Hub"] == "Look up hub and name" and origins["Order"] is None


def test_conditions_nest_once_and_values_are_offered(page):
    copy_of_demo(page)
    pick(page, "kinds")
    page.keyboard.press("Control+k")
    page.keyboard.type("keep rows")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'keep_rows'")
    page.get_by_label("Column", exact=True).select_option(label="Packets")
    page.get_by_label("Test", exact=True).select_option(label="is at least")
    page.get_by_label("Value", exact=True).fill("90")
    page.get_by_role("button", name="+ group").click()
    group = page.locator(".card-item .card-item")
    group.get_by_label("Column", exact=True).select_option(label="Region")
    group.get_by_label("Test", exact=True).select_option(label="is one of")
    group.locator(".chip", has_text="Aldermere").first.click()
    page.wait_for_function("() => /where|rows came in/.test(document.getElementById('foot-did').textContent)")
    applied(page)
    shown = page.evaluate("updraft.state.steps.keep_rows.sentence")
    assert shown.startswith("where Packets is at least 90 and (Region is one of Aldermere")
    packets = page.evaluate(
        """async () => (await (await fetch(updraft.grid.address(0, 500))).json()).rows.map((r) => [r[6], r[4]])"""
    )
    assert packets and all(number >= 90 and region == "Aldermere" for number, region in packets)


def test_the_unmatched_rows_are_read_and_worked_on_as_a_table_of_their_own(page):
    copy_of_demo(page)
    pick(page, "look_up")
    page.locator(".desk-facts li", has_text="without a match").get_by_role("button", name="Look at them").click()
    page.wait_for_function("() => updraft.table.output === 'unmatched'")
    settle(page)
    assert foot(page) == "6 rows × 9 columns | Rows without a match"
    page.keyboard.press("Control+k")
    page.keyboard.type("save")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.state.steps.write_file?.main === 'look_up.unmatched'")
    settle(page)
    assert page.evaluate("updraft.state.steps.summarise.main") == "look_up", "the main line is left alone"
    assert page.evaluate("updraft.state.steps.write_file.rows") == 6


def test_columns_are_resized_reordered_and_frozen_for_reading_only(page):
    open_demo(page, "orders")
    revision = page.evaluate("updraft.state.revision")
    handle = page.locator(".slick-header-column[data-id='Order'] .slick-resizable-handle")
    box = None
    while box != (box := handle.bounding_box()):  # the widths are fitted to what has come
        page.wait_for_timeout(400)
    page.mouse.move(box["x"] + 3, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + 83, box["y"] + 20, steps=5)
    page.mouse.up()
    page.wait_for_function("() => updraft.grid.grid.getColumns().find((c) => c.id === 'Order').width > 150")
    width = page.evaluate("updraft.grid.grid.getColumns().find((c) => c.id === 'Order').width")
    page.get_by_role("button", name="Ordered on, text: show in the panel").click()
    page.get_by_role("button", name="Freeze").click()
    assert page.evaluate("updraft.grid.grid.getOptions().frozenColumn") == 2
    source, target = (
        page.locator(f".slick-header-column[data-id='{name}'] .head-fact") for name in ("Variety", "Grower")
    )
    start, end = source.bounding_box(), target.bounding_box()
    page.mouse.move(start["x"] + 5, start["y"] + 5)
    page.mouse.down()
    for way in (0.3, 0.7, 1.0, 1.02):
        page.mouse.move(start["x"] + (end["x"] - start["x"]) * way, start["y"] + 6, steps=4)
        page.wait_for_timeout(60)
    page.mouse.up()
    page.wait_for_function("() => updraft.grid.order?.indexOf('Variety') < updraft.grid.order?.indexOf('Grower')")
    pick(page, "drop_totals")
    assert page.evaluate("updraft.grid.grid.getColumns().find((c) => c.id === 'Order').width") == width, (
        "it stays so at the next stop"
    )
    assert page.evaluate("updraft.state.revision") == revision


def test_a_flow_is_renamed_given_a_parameter_exported_duplicated_and_deleted(page, tmp_path):
    copy_of_demo(page)
    page.locator("#flow-name").click()
    page.get_by_label("Name of the flow").fill("To be deleted")
    page.get_by_label("Name of the flow").press("Tab")
    page.wait_for_function("() => updraft.state.name === 'To be deleted'")
    page.locator("#flow-name").click()
    page.get_by_role("button", name="+ parameter").click()
    page.get_by_label("Name of parameter 2").fill("Season Year")
    page.get_by_label("Name of parameter 2").press("Tab")
    page.get_by_label("Value of parameter 2").fill("2026")
    page.get_by_label("Value of parameter 2").press("Tab")
    page.wait_for_function("() => updraft.state.parameters[1]?.value === '2026'")
    both = "[{op: 'describe', note: 'made at once'}], [{op: 'note', id: 'tidy', note: 'with this'}]"
    page.evaluate(f"() => Promise.all([{both}].map((edits) => updraft.edit(edits)))")
    assert page.evaluate("[updraft.state.note, updraft.state.steps.tidy.note]") == ["made at once", "with this"]
    with page.expect_download() as download:
        page.get_by_role("link", name="Export as a file").click()
    download.value.save_as(tmp_path / "x.json")
    saved = json.loads((tmp_path / "x.json").read_text())
    assert saved["name"] == "To be deleted" and [p["name"] for p in saved["parameters"]] == ["month", "season_year"]
    page.goto("/")
    page.get_by_role("button", name="Duplicate To be deleted", exact=True).click()
    page.wait_for_selector("tr[data-name='To be deleted (copy)']")
    for name in ("To be deleted (copy)", "To be deleted"):
        page.get_by_role("button", name=f"Delete {name}", exact=True).click()
        page.get_by_role("button", name="Keep it").click()
        page.get_by_role("button", name=f"Delete {name}", exact=True).click()
        page.locator("#confirm").get_by_role("button", name="Delete").click()
        page.wait_for_function(
            "name => ![...document.querySelectorAll('tr')].some((row) => row.dataset.name === name)", arg=name
        )


@pytest.fixture(scope="module")
def big(tmp_path_factory):
    """A million rows."""
    path = tmp_path_factory.mktemp("big") / "million.csv"
    pl.DataFrame({"number": range(1_000_000), "hub": ["Aldermere", "North Fen"] * 500_000}).with_columns(
        text=pl.format("LM-{}", "number")
    ).write_csv(path)
    return path


def test_a_million_rows_scroll_to_any_place(page, big):
    page.goto("/")
    page.locator("#start-file").set_input_files(big)
    page.wait_for_selector(".slick-row", timeout=90_000)
    settle(page)
    assert foot(page).startswith("1,000,000 rows × 3 columns")
    for row in (999_999, 500_000, 123_456):
        page.evaluate("row => updraft.grid.grid.scrollRowIntoView(row)", row)
        page.wait_for_function("row => updraft.grid.item(row).cells", arg=row)
        assert cell(page, row, "text") == f"LM-{row}"
    page.get_by_role("button", name="Sort by number for reading").click()
    page.get_by_role("button", name="Sort by number for reading").click()
    page.wait_for_function("() => updraft.grid.item(0).cells?.[0] === 999999")
    page.evaluate("() => updraft.grid.grid.scrollRowIntoView(999999)")
    page.wait_for_function("() => updraft.grid.item(999999).cells?.[0] === 0")


def test_a_run_shows_its_progress_and_can_be_cancelled(page, big):
    page.goto("/")
    page.locator("#start-file").set_input_files(big)
    page.wait_for_selector(".slick-row", timeout=90_000)
    page.keyboard.press("Control+k")
    page.keyboard.type("write file")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.state.course.stops.length === 2")
    settle(page)
    page.locator("#run").click()
    page.get_by_role("button", name="Run now").click()
    page.locator(".run-steps .now", has_text="Write file").wait_for(timeout=90_000)
    assert page.get_by_role("progressbar").get_attribute("aria-valuenow") == "1"
    page.get_by_role("button", name="Cancel").click()
    page.get_by_role("heading", name="Cancelled").wait_for(timeout=60_000)
    page.get_by_role("button", name="Run again").wait_for()


def test_new_names_hold_a_run_until_they_are_answered_on_the_desk(page):
    """Rows to columns: names are settled, one that comes later is a question, and CSV brings answers."""
    copy_of_demo(page)
    pick(page, "summarise")
    page.keyboard.press("Control+k")
    page.keyboard.type("rows to columns")
    page.keyboard.press("Enter")
    page.get_by_label("Names come from").select_option("Variety")
    page.get_by_role("button", name="+ figure").click()
    page.get_by_label("Figure", exact=True).select_option("rows")
    page.get_by_role("radio", name="holds the run").check(force=True)
    page.get_by_role("button", name="Apply").click()
    page.get_by_role("button", name="Settle these names").click()
    page.locator(".decisions summary").filter(has_text="24 answers given").click()
    page.get_by_role("button", name="Remove the answer for Brandywine").click()
    page.locator(".decisions .said-next").filter(has_text="1 open question").wait_for()
    settle(page)
    page.get_by_role("button", name="Run flow").click()
    page.get_by_role("button", name="Run now").click()
    page.get_by_role("button", name="Answer at “Rows to columns”").click(timeout=60_000)
    assert page.locator(".decisions .name").first.inner_text() == "Brandywine"
    with page.expect_download() as saved:
        page.get_by_role("link", name="Save as CSV").click()
    answers = saved.value.path().read_text() + "Brandywine,leave out,,\r\n"
    page.get_by_label("CSV file of answers").set_input_files(
        {"name": "answers.csv", "mimeType": "text/csv", "buffer": answers.encode()}
    )
    page.locator(".decisions summary").filter(has_text="24 answers given").wait_for()
    settle(page)
    assert "Brandywine" not in page.evaluate("updraft.table.columns.map((c) => c.name)")
    page.get_by_role("button", name="Run flow").click()
    page.get_by_role("button", name="Try without delivering").click()
    page.get_by_role("heading", name="Tried, nothing delivered").wait_for(timeout=60_000)
    assert "would be written" in page.locator(".result-card").first.inner_text()


def test_another_flow_is_used_wired_and_kept_as_a_block(page):
    copy_of_demo(page)
    pick(page, "look_up")
    made = page.evaluate(
        """async () => {
          const { post } = await import(new URL("../js/api.js", document.querySelector("link[rel=icon]").href));
          const { id } = await post("/api/flows", { name: "Only one hub" });
          const rule = { of: [{ column: "Hub", test: "equals", value: "{params.hub}" }] };
          await post(`/api/flows/${id}/edits`, { edits: [
            { op: "describe", parameters: [{ name: "hub", value: "North Fen" }] },
            { op: "add", step: { id: "orders", kind: "type_in_a_table",
                                 settings: { columns: ["Hub"], rows: [["North Fen"]] } } },
            { op: "add", after: "orders", step: { id: "one", kind: "keep_rows", settings: { by: "rule", rule } } },
          ] });
          return id;
        }"""
    )
    page.keyboard.press("Control+k")
    page.keyboard.type("use a flow")
    page.keyboard.press("Enter")
    page.get_by_label("Flow", exact=True).select_option(made)
    page.wait_for_function("() => updraft.table?.rows === 194 && updraft.table.step === 'use_a_flow'")
    page.get_by_label("Value of hub").fill("Saltmarsh")
    page.wait_for_function("() => updraft.table?.rows > 194")
    applied(page)
    assert "Only one hub · hub = Saltmarsh" in page.locator("[data-step=use_a_flow]").inner_text()
    rows = page.evaluate("updraft.table.rows")
    page.get_by_role("button", name="Keep a copy in this flow").click()
    page.wait_for_function("() => updraft.drafts.size === 1")
    applied(page)
    assert page.evaluate("updraft.state.steps.use_a_flow.settings.block") is True
    assert page.evaluate("updraft.table.rows") == rows


def test_tables_are_stacked_in_an_order_that_can_be_changed(page):
    copy_of_demo(page)
    pick(page, "drop_totals")
    page.keyboard.press("Control+k")
    page.keyboard.type("stack")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.table?.step === 'stack'")
    add = page.get_by_label("Tables: add a table")
    add.select_option("growers")
    page.wait_for_function("() => updraft.table.rows === 1213 + 49")
    assert "is gone" in page.locator(".desk-facts").inner_text()
    page.get_by_role("button", name=re.compile("Move .* Growers up")).click()
    page.wait_for_function("() => updraft.state.steps.stack.inputs.tables[0] === 'growers'")
    settle(page)
    page.get_by_role("button", name=re.compile("Remove .* Growers$")).click()
    page.wait_for_function("() => updraft.table.rows === 1213")


def test_a_formula_is_worked_out_by_example_and_the_row_that_decides_is_asked_for(page):
    page.goto("/")
    dropped(page, "#drop", "codes.csv", 'Codes,Hub\nAD,Fen\n"LI,CH,DE",Dale\nFI,Fen\nUS,Dale\n')
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("calculate")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'calculate'")
    if not page.get_by_text("By example", exact=True).count():
        page.get_by_role("button", name="+ column").click()
    page.get_by_label("Column", exact=True).fill("Last code")
    page.get_by_text("By example", exact=True).click()
    page.get_by_label("AD", exact=True).fill("AD")
    page.locator(".example.asked", has_text="LI,CH,DE").wait_for()
    page.get_by_text("In doubt: say what the marked row should give").wait_for()
    assert not violations(page)
    page.get_by_label("LI,CH,DE").fill("DE")
    page.locator(".reading", has_text="AD · DE · FI").first.click()
    page.get_by_role("button", name="Apply").click()
    page.wait_for_function("() => updraft.state.steps.calculate?.status === 'fresh'")
    settle(page)
    at = page.evaluate("updraft.table.columns.findIndex((c) => c.name === 'Last code')")
    page.wait_for_function("() => updraft.grid.item(3)?.cells")
    page.wait_for_function("() => updraft.grid.item(3)?.cells")
    assert [page.evaluate(f"updraft.grid.item({row}).cells[{at}]") for row in range(4)] == ["AD", "DE", "FI", "US"]


def test_nothing_can_be_what_an_example_gives(page):
    brought(page, "notes.csv", "Lot,Note\nL1,sown 12 g (late)\nL2,lost 4\nL3,sown 7 g\nL4,sown 130 g at noon\n")
    settle(page)
    added(page, "calculate", "calculate")
    if not page.get_by_text("By example", exact=True).count():
        page.get_by_role("button", name="+ column").click()
    page.get_by_text("By example", exact=True).click()
    page.locator(".by-example select").first.select_option(label="Note")
    row = page.locator(".example", has_text="lost 4")
    page.get_by_label("sown 12 g (late)", exact=True).fill("12")
    page.locator(".reading", has_text="12 · 4 · 7").first.wait_for()
    row.get_by_role("button", name="empty").click()
    page.locator(".reading", has_text="12 · 4").first.wait_for(state="detached")
    page.locator(".reading", has_text="12 · empty · 7").first.wait_for()
    assert not violations(page)
    row.get_by_role("textbox").fill("4")
    page.locator(".reading", has_text="12 · 4 · 7").first.wait_for()
    assert row.get_by_role("button", name="empty").get_attribute("aria-pressed") == "false"
