"""Take one picture of each main view from the demo data into docs/screenshots: `make screenshots`."""

import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from playwright.sync_api import Page, sync_playwright
from tests.browser.conftest import FLAGS, open_demo, settle
from tests.browser.conftest import path_of_chromium as chromium
from tests.served import Served, until

SHOTS = ROOT / "docs/screenshots"


def main() -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as scratch, sync_playwright() as playwright:
        app = Served(Path(scratch) / "data", "demo")
        browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=app.url)
        until(lambda: b"packet_report_2026-03.xlsx" in app.get("/"), what="the demo's first run")
        try:
            views(page, Path(scratch) / "data/larkmoor")
        finally:
            browser.close()
            app.stop()


ALL_FOUND = "() => Array.isArray(updraft.findingsDesk.list) && !updraft.findingsDesk.looking"


def views(page: Page, world: Path) -> None:
    def shot(name: str) -> None:
        page.mouse.move(640, 790)
        page.wait_for_timeout(350)
        page.screenshot(path=SHOTS / f"{name}.png")

    page.goto("/")
    shot("home")
    open_demo(page, "tidy")
    page.wait_for_function(ALL_FOUND)
    shot("studio")
    open_demo(page, "drop_totals")
    page.wait_for_function(ALL_FOUND)
    page.keyboard.press("Alt+l")
    page.locator(".finding-open", has_text="spellings of 5 names").last.click()
    page.wait_for_function(
        "() => [...document.querySelectorAll('.repair-effect')].every((e) => e.textContent.length > 1)"
    )
    settle(page)
    shot("findings")
    page.get_by_role("button", name="Clear").click()
    page.get_by_role("button", name="Region, text: show in the panel").click()
    page.wait_for_selector(".value-rows .v")
    for n in (0, 2):
        page.locator(".value input").nth(n).check()
    page.get_by_role("button", name="Only these", exact=True).click()
    settle(page)
    shot("column")
    page.get_by_role("button", name="Clear").click()
    page.keyboard.press("Alt+p")
    page.wait_for_selector(".profile li")
    shot("profile")
    open_demo(page, "drop_totals")
    page.keyboard.press("Control+k")
    page.keyboard.type("exclude")
    page.wait_for_selector(".add-option")
    shot("add-step")
    open_demo(page, "summarise")
    page.locator("#run").click()
    page.get_by_role("button", name="Run now").click()
    page.locator(".result-card a").wait_for(timeout=30_000)
    shot("run")
    page.goto(page.url.split("?")[0] + "/runs")
    shot("runs")
    page.goto("/")
    page.get_by_role("button", name="New flow", exact=True).click()
    page.wait_for_selector(".welcome")
    page.on("filechooser", lambda chooser: chooser.set_files(world / "packet_orders_2026-03.xlsx"))
    page.get_by_role("button", name="A file").first.click()
    page.wait_for_selector(".slick-row")
    settle(page)
    shot("import")
    page.goto("/")
    page.set_input_files("#start-file", world / "hub_requests.json")
    page.wait_for_selector(".slick-row")
    page.wait_for_selector(".raw-body")
    settle(page)
    shot("nested")
    source(page, "database")
    page.get_by_role("combobox", name="Table").fill("lots")
    page.locator(".finder-option", has_text="lots").click()
    page.get_by_role("button", name="+ condition").click()
    page.get_by_label("Column", exact=True).select_option(label="hub")
    page.get_by_label("Test", exact=True).select_option(label="is one of")
    page.locator(".condition .chip", has_text="ald").click()
    page.wait_for_function("() => updraft.table?.rows > 0 && updraft.table.rows < 120")
    settle(page)
    shot("database")
    source(page, "call web")
    page.get_by_label("Connection", exact=True).select_option(label="Garden shop")
    page.get_by_label("Path", exact=True).fill("api/sales")
    page.locator(".pick").get_by_text("by number", exact=True).click()
    page.get_by_label("Size sent as").fill("per_page")
    page.wait_for_function("() => updraft.table?.rows === 640")
    page.wait_for_selector(".raw-node.chosen")
    settle(page)
    shot("service")
    across(page, "Varieties as linked data", "match")
    page.wait_for_selector(".meanings")
    page.locator(".family-list button").first.focus()
    shot("match")
    page.goto("/connections")
    shot("connections")
    page.goto("/")
    page.get_by_role("link", name="Stock and shipments", exact=True).first.click()
    page.wait_for_selector(".slick-row")
    page.locator("[data-step=lines]").click()
    page.wait_for_function("() => updraft.table?.step === 'lines' && !updraft.state.pending")
    settle(page)
    shot("sources")
    open_demo(page, "recode_variety")
    page.keyboard.press("Alt+w")
    page.locator(".wide-values button").nth(1).focus()
    page.wait_for_selector(".wide-rows")
    shot("wide")
    across(page, "Requests in grams", "parts")
    page.get_by_role("button", name="day new").click()
    page.locator(".gives-rows tbody tr").first.wait_for()
    shot("calculate")
    across(page, "Requests against shipments", "against")
    page.locator(".bands").wait_for()
    settle(page)
    shot("join")
    across(page, "How seed is packed", "merge")
    page.locator(".family-list button").first.focus()
    page.wait_for_selector(".wide-rows")
    shot("look-alikes")


def across(page: Page, flow: str, step: str) -> None:
    """A step of a ready-made flow across the window."""
    page.goto("/")
    page.get_by_role("link", name=flow, exact=True).first.click()
    page.wait_for_selector(".slick-row")
    page.locator(f"[data-step={step}]").click()
    page.wait_for_function(f"() => updraft.table?.step === '{step}'")
    settle(page)
    page.keyboard.press("Alt+w")
    page.locator("#wide-title").wait_for()
    settle(page)


def source(page: Page, words: str) -> None:
    """A new flow with a source found by words."""
    page.goto("/")
    page.locator("#new-flow").click()
    page.wait_for_url("**/flows/*")
    page.wait_for_function("() => window.updraft")
    page.keyboard.press("Control+k")
    page.keyboard.type(words)
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.selected && updraft.stepDesk.step?.id === updraft.selected")


if __name__ == "__main__":
    main()
