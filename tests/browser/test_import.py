"""Bringing things in with the real interface: files as they stand, cells, databases, services, connections."""

import json

import pytest

from tests.browser.conftest import settle, violations
from tests.browser.test_desk import applied, dropped
from tests.browser.test_studio import cell, foot


def fresh(page, words: str = "") -> None:
    """A new flow, perhaps with a source found by words."""
    page.goto("/")
    page.locator("#new-flow").click()
    page.wait_for_url("**/flows/*")
    page.wait_for_function("() => window.updraft")
    if words:
        page.keyboard.press("Control+k")
        page.keyboard.type(words)
        page.keyboard.press("Enter")
        page.wait_for_function("() => updraft.selected && updraft.stepDesk.step?.id === updraft.selected")


def start(page, name: str, content: str) -> None:
    page.goto("/")
    dropped(page, "#drop", name, content)
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)


def names(page) -> list[str]:
    return page.evaluate("updraft.table.columns.map((c) => c.name)")


def wait_for_columns(page, *wanted: str) -> None:
    page.wait_for_function(
        "(wanted) => JSON.stringify(updraft.table?.columns.map((c) => c.name)) === wanted",
        arg=json.dumps(wanted, separators=(",", ":"), ensure_ascii=False),
    )


SCALES = "Scales 2\n" + "\n".join(
    f"{lot:<7}{hub:<12}{grams:>6}"
    for lot, hub, grams in [
        ("Lot", "Hub", "Grams"),
        ("L1", "Aldermere", 12),
        ("L22", "North Fen", 120),
        ("L333", "Coldwater", 7),
        ("L4", "Saltmarsh", 99),
    ]
)


def test_borders_of_fixed_columns_are_moved_by_mouse_and_keyboard(page):
    start(page, "scales.txt", SCALES)
    wait_for_columns(page, "Lot", "Hub", "Grams")
    first = page.get_by_role("slider", name="Border 1")
    first.focus()
    before = int(first.get_attribute("aria-valuenow"))
    page.keyboard.press("ArrowLeft")
    page.wait_for_function(
        f"() => document.querySelector('.raw-border')?.getAttribute('aria-valuenow') === '{before - 1}'"
    )
    page.keyboard.press("ArrowRight")
    page.wait_for_function(f"() => document.querySelector('.raw-border')?.getAttribute('aria-valuenow') === '{before}'")
    handle = page.get_by_role("slider", name="Border 2")
    box, unit = (
        handle.bounding_box(),
        page.evaluate("document.querySelector('.raw-unit').getBoundingClientRect().width"),
    )
    page.mouse.move(box["x"] + 5, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + 5 - 6 * unit, box["y"] + 40, steps=4)
    page.mouse.up()
    page.wait_for_function(
        "() => updraft.stepDesk.form.settings.widths.length === 3 && updraft.stepDesk.form.settings.widths[1] < 12"
    )
    page.get_by_role("slider", name="Border 2").press("Delete")
    page.wait_for_function("() => updraft.table.columns.length === 2")
    assert page.get_by_label("Borders", exact=True).input_value().count(",") == 1
    page.get_by_role("button", name="Put back").click()
    wait_for_columns(page, "Lot", "Hub", "Grams")


def test_the_header_is_chosen_on_the_raw_lines_and_ragged_rows_are_shown(page):
    start(page, "odd.csv", "Stock;of;March\nLot;Hub;Grams\nL1;Aldermere;5\nL2;Coldwater\nL3;Saltmarsh;9\n")
    page.locator(".raw-ragged .raw-told", has_text="other width").wait_for()
    page.get_by_role("button", name="Line 2: make it the header").click()
    wait_for_columns(page, "Lot", "Hub", "Grams")
    page.get_by_text("More about how it is read").click()
    page.locator(".pick").get_by_text("leave out", exact=True).last.click()
    page.wait_for_function("() => document.getElementById('foot-size').textContent.startsWith('2 rows')")
    applied(page)
    said = page.locator(".desk").inner_text()
    assert "1 rows do not have 3 cells and are left out" in said and "Since this file was set up" not in said
    assert page.evaluate("updraft.state.steps.read_file.settings.layout") == ["Lot", "Hub", "Grams"]
    page.get_by_role("button", name="Hide the file").click()
    assert not page.locator(".raw-body").is_visible()
    page.get_by_role("button", name="Show the file").click()
    assert not violations(page)


def test_nested_records_are_taken_as_a_table_of_their_own_with_a_key(page):
    requests = [
        {"id": n, "hub": {"name": f"Hub {n}"}, "lines": [{"variety": "Chioggia", "packets": n}] * n} for n in (1, 2, 3)
    ]
    start(page, "requests.json", json.dumps({"made": "x", "requests": requests}))
    wait_for_columns(page, "id", "hub.name", "lines")
    assert page.locator(".raw-node.chosen > .raw-node-line .name").inner_text() == "requests"
    page.get_by_role("button", name="As a table of its own").click()
    page.wait_for_function("() => updraft.state.course.stops.length === 2")
    wait_for_columns(page, "requests number", "variety", "packets")
    settle(page)
    assert foot(page).startswith("6 rows")
    page.get_by_text("Fields around the records (").click()
    page.get_by_label("requests.id", exact=True).check()
    wait_for_columns(page, "requests number", "requests.id", "variety", "packets")
    page.get_by_role("button", name="made as a column").click()
    wait_for_columns(page, "requests number", "requests.id", "made", "variety", "packets")
    applied(page)
    page.locator(".stop").first.click()
    wait_for_columns(page, "requests number", "id", "hub.name")
    assert not violations(page)


def test_cells_pasted_on_the_page_become_a_table_that_is_edited_in_place(page):
    fresh(page)
    page.evaluate("navigator.clipboard.writeText('Hub\\tShare\\nAldermere\\t0.25\\nNorth Fen\\t0.5\\n')")
    page.locator(".welcome h2").click()
    page.keyboard.press("Control+v")
    wait_for_columns(page, "Hub", "Share")
    settle(page)
    assert foot(page).startswith("2 rows × 2 columns") and cell(page, 1, "Share") == "0.5"
    page.get_by_label("Hub, row 3").fill("Coldwater")
    page.get_by_label("Hub, row 3").press("ArrowRight")
    page.keyboard.type("0.75")
    page.get_by_label("Name of column 2").fill("Part")
    wait_for_columns(page, "Hub", "Part")
    applied(page)
    settings = page.evaluate("updraft.state.steps.type_in_a_table.settings")
    assert settings["columns"] == ["Hub", "Part"] and settings["rows"][2] == ["Coldwater", "0.75"]
    page.get_by_label("Hub, row 1").press("Control+Delete")
    page.wait_for_function("() => document.getElementById('foot-size').textContent.startsWith('2 rows')")
    assert not violations(page)


def test_a_table_is_found_in_a_database_and_its_values_are_offered(page):
    fresh(page, "database")
    page.get_by_role("combobox", name="Table").click()
    page.locator(".finder-option", has_text="hubs").wait_for()
    page.keyboard.type("lots")
    page.wait_for_function("() => document.querySelectorAll('.finder-option').length === 1")
    page.keyboard.press("Enter")
    wait_for_columns(page, "lot", "revision", "variety", "hub", "harvested", "amount", "unit")
    page.get_by_role("button", name="+ condition").click()
    page.get_by_label("Column", exact=True).select_option(label="hub")
    page.get_by_label("Test", exact=True).select_option(label="is one of")
    page.locator(".condition .chip", has_text="ald").click()
    page.wait_for_function("() => updraft.table.rows > 0 && updraft.table.rows < 120")
    page.get_by_text("7 of 7").click()
    page.get_by_label("revision", exact=True).uncheck()
    wait_for_columns(page, "lot", "variety", "hub", "harvested", "amount", "unit")
    applied(page)
    assert page.locator(".stop-what").inner_text().startswith("Seed lots · lots · lot, variety, hub and 3 more")
    page.get_by_role("button", name="Fetch again").click()
    settle(page)
    assert not violations(page)


@pytest.mark.parametrize("words, connection, table, rows", [("odata", "Ledger", "ShipmentLines", "1,0")])
def test_an_entity_set_is_found_in_a_service(page, words, connection, table, rows):
    fresh(page, words)
    page.get_by_label("Connection", exact=True).select_option(label=connection)
    page.get_by_role("combobox", name="Entity set").click()
    page.locator(".finder-option", has_text=table).click()
    page.wait_for_function("() => updraft.table?.rows === 1000")
    settle(page)
    assert foot(page).startswith("the first 1,000 rows") and "BookedAt" in names(page), "tried: its first rows"
    applied(page)
    page.wait_for_function("() => updraft.table?.rows > 1000")
    settle(page)
    assert foot(page).startswith(rows)
    assert not violations(page)


def test_all_pages_of_a_service_come_and_its_answer_is_shown(page):
    fresh(page, "call web")
    page.get_by_label("Connection", exact=True).select_option(label="Garden shop")
    page.get_by_label("Path", exact=True).fill("api/sales")
    page.locator(".pick").get_by_text("by number", exact=True).click()
    page.get_by_label("Size sent as").fill("per_page")
    page.wait_for_function("() => updraft.table?.rows === 640")
    settle(page)
    page.locator(".raw-node.chosen", has_text="sales").wait_for()
    applied(page)
    assert not violations(page)


def test_a_connection_is_made_tested_changed_and_deleted(page, app):
    page.goto("/connections")
    assert not violations(page)
    page.get_by_role("button", name="New connection").click()
    page.get_by_label("Name", exact=True).fill("Hubs")
    page.get_by_label("Database system").select_option(label="SQLite file")
    page.get_by_label("Path of the file").fill("/nowhere/lots.sqlite")
    page.get_by_role("button", name="Test and save").click()
    page.locator(".said-problem", has_text="is not here").wait_for()
    assert not violations(page)
    page.get_by_label("Path of the file").fill(str(app.data / "larkmoor/seed_lots.sqlite"))
    page.get_by_role("button", name="Test and save").click()
    page.locator(".notice", has_text="“Hubs” saved. Reached: 3 tables.").wait_for()
    page.get_by_role("button", name="Hubs", exact=True).click()
    page.get_by_label("Name", exact=True).fill("Hub list")
    page.get_by_role("button", name="Test and save").click()
    page.get_by_role("button", name="Hub list", exact=True).wait_for()
    page.get_by_role("button", name="Delete Hub list").click()
    page.get_by_role("button", name="Delete", exact=True).last.click()
    page.wait_for_function("() => !document.body.textContent.includes('Hub list')")


def test_files_of_one_shape_become_one_table(page):
    fresh(page)
    page.evaluate(
        """() => {
      const data = new DataTransfer();
      for (const month of ['02', '03']) data.items.add(new File([`Lot,Grams\\nL${month},${Number(month)}\\n`], `stock_2026-${month}.csv`));
      for (const type of ['dragenter', 'dragover', 'drop']) document.querySelector('#grid-empty').dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer: data }));
    }"""
    )
    page.get_by_role("button", name="One table").click()
    wait_for_columns(page, "File", "Lot", "Grams")
    settle(page)
    assert foot(page).startswith("2 rows") and cell(page, 1, "File") == "stock_2026-03.csv"
    assert page.evaluate("updraft.state.steps.read_file.settings.path") == "stock_2026-0*.csv"
