"""The real interface in headless Chromium, on a real served app."""

import os
import shutil
from contextlib import suppress
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Error, Locator, Page, TimeoutError, sync_playwright

from tests.browser.flows import demo_flow, imported
from tests.served import Served

FLAGS = [
    "--font-render-hinting=none",  # as where there is a screen
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
# `make haste`: answers come late, each by another time, and nobody waits for them before going on.
HASTE = bool(os.environ.get("UPDRAFT_TEST_HASTE"))
AXE = Path(__file__).parents[1] / "vendor/axe-core/axe.min.js"


def pytest_collection_modifyitems(items):
    for item in items:
        if "browser" in Path(item.fspath).parts:
            item.add_marker(pytest.mark.browser)
            # A machine short of time can starve a browser; a second try is printed as a rerun, never hidden.
            item.add_marker(pytest.mark.flaky(reruns=0 if HASTE else 1))


# Counts the answers a page waits for and the short pauses it makes (typing that is not over yet), as `due`.
COUNTING = """(() => {
  const { fetch, setTimeout, clearTimeout } = window, pauses = new Set();
  const late = (...given) => new Promise((done) => setTimeout(done, 900 * Math.random() ** 2)).then(() => fetch(...given));
  let asked = 0;
  window.due = () => asked + pauses.size;
  window.fetch = (...given) => { asked += 1; const done = () => setTimeout(() => { asked -= 1; }, 40); const answer = (HASTE ? late : fetch)(...given); answer.then(done, done); return answer; };
  window.setTimeout = (run, ms, ...given) => {
    const id = setTimeout((...all) => { pauses.delete(id); return run(...all); }, ms, ...given);
    if (ms > 0 && ms < 300) pauses.add(id);
    return id;
  };
  window.clearTimeout = (id) => { pauses.delete(id); clearTimeout(id); };
})();""".replace("HASTE", str(HASTE).lower())


def acting(action):
    """The action once the page has loaded and drawn what it asked for: nobody clicks on what is just moving."""

    def act(self, *given, **named):
        with suppress(TimeoutError):  # a page that is busy for long is one that people act on
            self.page.wait_for_function("() => document.readyState === 'complete' && !window.due?.()", timeout=3000)
        return action(self, *given, **named)

    return act


for name in ("click", "dblclick", "check", "uncheck", "fill", "select_option", "set_input_files"):
    if not HASTE:
        setattr(Locator, name, acting(getattr(Locator, name)))


def path_of_chromium() -> str:
    names = ("chromium-headless-shell", "chromium", "chromium-browser")
    path = os.environ.get("UPDRAFT_CHROMIUM") or next(filter(None, map(shutil.which, names)), None)
    assert path, "Chromium is missing; see tools/need-chromium"
    return path


@pytest.fixture(scope="session")
def chromium() -> Browser:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path_of_chromium(), args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def app(tmp_path_factory):
    served = Served(tmp_path_factory.mktemp("app") / "data", "demo", threads=1)
    yield served
    served.stop()


@pytest.fixture(scope="session")
def context(chromium, app):
    """One browser session for all tests of a worker, so that scripts and styles are fetched and compiled once."""
    context = chromium.new_context(
        viewport=SIZE,
        permissions=["clipboard-read", "clipboard-write"],
        base_url=app.url,
        reduced_motion="reduce",  # what turns while something is computed would be painted without end
    )
    context.set_default_timeout(int(os.environ.get("UPDRAFT_TEST_PATIENCE", "45000")))
    context.add_init_script(COUNTING)
    yield context
    context.close()


class Tab:
    """A page that several tests use one after another: a process for each would begin by compiling all scripts."""

    def __init__(self, context) -> None:
        self.used, self.failures = 0, []
        self.page = context.new_page()
        # Choosers are taken by the tests from the start, not only while one is awaited.
        self.page.on("filechooser", lambda chooser: None)
        self.page.on("pageerror", lambda error: self.failures.append(str(error)))
        self.page.on("console", self.hear)

    def hear(self, message) -> None:
        if message.type == "error" and "status of 4" not in message.text:
            self.failures.append(message.text)

    def clear(self) -> None:
        """Leave nothing to the next test: what a page of its own would not have."""
        self.page.unroute_all(behavior="ignoreErrors")
        self.page.evaluate("sessionStorage.clear()")
        self.page.goto("about:blank")
        self.page.set_viewport_size(SIZE)
        self.used += 1


SIZE = {"width": 1280, "height": 800}
USES = 20  # of a page, so that what a script would hold on to does not add up


@pytest.fixture(scope="session")
def tabs():
    return []


@pytest.fixture
def page(context, tabs):
    """A page that fails the test when a script on it fails."""
    tab = tabs.pop() if tabs else Tab(context)
    tab.failures.clear()
    yield tab.page
    failures = list(tab.failures)
    try:
        tab.clear()
        whole = tab.used < USES
    except Error:  # it crashed, or hangs
        whole = False
    if whole:
        tabs.append(tab)
    else:
        tab.page.close()
    assert not failures, failures


def violations(page: Page) -> list[str]:
    """What axe finds wrong with the page as it is."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")
    return [f"{v['id']}: {node['target']} {node['failureSummary']}" for v in found["violations"] for node in v["nodes"]]


def settle(page: Page) -> None:
    """Wait until nothing is being computed, fetched or waited for."""
    page.wait_for_function(
        "() => window.updraft && !window.due?.() && !updraft.state.pending && document.getElementById('busy').hidden && !document.querySelector('.cell-waiting') && (!updraft.table || updraft.grid.facts)"
    )


def open_at(page: Page, address: str) -> None:
    """Open a flow, perhaps at a step, and wait until its table is there."""
    page.goto(address)
    page.wait_for_selector(".slick-row")
    settle(page)


def open_demo(page: Page, stop: str | None = None) -> None:
    """Open the ready-made flow, at a stop."""
    open_at(page, demo_flow(page.context) + (f"?step={stop}" if stop else ""))
    if stop:
        page.wait_for_function(f"() => updraft.table?.step === '{stop}'")
        settle(page)


def bring_flow(page: Page, text: str, files: list[Path]) -> None:
    """Import a flow with the files that it reads, open it and wait until it is computed."""
    open_at(page, imported(page, text, {file.name: file.read_bytes() for file in files}))
