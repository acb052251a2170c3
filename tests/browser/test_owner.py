"""A step's settings have one owner, whoever draws them; nothing that was set is lost, and nothing is done unasked."""

import pytest
from playwright.sync_api import TimeoutError

from tests.browser.conftest import settle, violations
from tests.browser.flows import imported
from tests.browser.test_desk import applied, dropped
from tests.browser.test_studio import copy_of_demo, pick
from updraft.core.steps import kinds

TEXTS = {"left": "left a,left b,n\nx,1,5\ny,2,6\nx,3,7\n", "right": "right a,right b\nx,1\ny,2\n"}


# As many columns as get a search and a choice of types, with names longer than a panel is wide.
MORE = [f"notes on the state of the lots at the end of their {n}th season" for n in range(4, 12)]
LONG = {side: text.replace("\n", f",{','.join(MORE)}\n", 1) for side, text in TEXTS.items()}


def with_all_kinds(page, texts=TEXTS) -> list[str]:
    """A flow that has a step of every kind behind one file, open at the file; gives the kinds."""
    read = [{"id": side, "kind": "read_file", "settings": {"path": f"{side}.csv"}} for side in texts]
    steps = []
    for kind in kinds().values():
        ports = {port.name: "left" if port.main else "right" for port in kind.inputs}
        if kind.kind != "read_file" and type(kind).__module__.startswith("updraft."):  # others: of other tests
            settings = kind.starting_settings()
            steps.append({"id": kind.kind, "kind": kind.kind, "settings": settings, "inputs": ports})
    files = {f"{side}.csv": text for side, text in texts.items()}
    page.goto(f"{imported(page, {'updraft': 3, 'name': 'All', 'steps': [*read, *steps]}, files)}?step=left")
    page.wait_for_selector(".slick-row")
    return ["left", *(step["id"] for step in steps)]


def at(page, step: str) -> None:
    page.evaluate(f"updraft.select({step!r})")
    page.wait_for_function(f"() => updraft.stepDesk.step?.id === {step!r} && updraft.stepDesk.form")


# Every state that a form can be in by one of its fields, from the settings that a new step has; of the desk that most
# kinds share, one of them.
OPENED = """async () => {
  const step = updraft.selected, kind = updraft.kind(), shown = [];
  if (kind.made_for === "cells") return shown;
  const values = (property) => ({
    flag: [true, false], text: ["x", ""], long_text: ["x"], column: ["left a", "gone", ""], number: [2], decimal: [0.5],
    choice: (property.labels ?? []).map(([key]) => key), pick_one: (property.labels ?? []).map(([key]) => key),
    items: [[]], changes: [[], [{ old: "x", new: "y" }]], lines: [["x"]], names: [["left a"], []], keys: [[]],
  })[property.widget] ?? [];
  const states = [{}];
  for (const [name, property] of Object.entries(kind.schema.properties))
    for (const value of values(property)) states.push({ [name]: value });
  for (const state of kind.desk === "form" ? states.slice(0, 2) : states) {
    updraft.drafts.delete(step);
    if (Object.keys(state).length) updraft.drafts.change(step, state);
    await updraft.openWide();
    if (document.getElementById("wide").hidden || !document.querySelector(".wide-work").children.length)
      throw new Error(`${kind.kind} does not open with ${JSON.stringify(state)}`);
    shown.push(state);
    updraft.wide.close();
    updraft.preview.drop();
  }
  updraft.drafts.delete(step);
  return shown;
}"""


# Two settings that a form shows as plain controls; the first is changed in one view, the second in the other.
PLAIN = """() => [...updraft.stepDesk.form.fields]
  .filter(([, { field, property }]) => !field.hidden && ["flag", "text", "number", "decimal"].includes(property.widget) && field.offsetParent)
  .map(([name, { field, property }]) => [name, property.widget, field.querySelector("input").getAttribute("id") && property.title])
  .slice(0, 2)"""
SET = """([place, title, widget]) => {
  const label = [...document.querySelectorAll(`${place} .form label`)].find((one) => one.textContent === title);
  const input = document.getElementById(label.htmlFor);
  if (widget === "flag") { input.checked = !input.checked; input.dispatchEvent(new Event("change")); return input.checked; }
  input.value = widget === "text" ? "two" : "2";
  input.dispatchEvent(new Event("input"));
  return widget === "text" ? "two" : 2;
}"""


def all_applied(page, step: str) -> None:
    """Wait until nothing is tried any more; where that does not come, say what the page says."""
    try:
        page.wait_for_function("() => !updraft.drafts.size && !updraft.drafts.applying.size")
    except TimeoutError:
        said = page.locator("#notices, .said-problem, .problem").all_inner_texts()
        open_ones = page.evaluate("[[...updraft.drafts.open], [...updraft.drafts.applying.keys()], updraft.selected]")
        raise AssertionError((step, said, open_ones)) from None


def test_what_is_changed_across_the_window_and_in_the_panel_both_stands(page):
    tried = set()
    for step in with_all_kinds(page):
        at(page, step)
        plain = page.evaluate(PLAIN)
        if len(plain) < 2 or page.evaluate("updraft.kind().desk !== 'form' || updraft.kind().made_for === 'cells'"):
            continue
        (one, kind, title), (other, other_kind, other_title) = plain
        page.evaluate("updraft.openWide()")
        page.locator("#wide-title").wait_for()
        wanted = {one: page.evaluate(SET, ["#wide", title, kind])}
        page.locator(".wide-foot").get_by_role("button", name="Apply").click()
        all_applied(page, step)
        page.keyboard.press("Escape")
        settle(page)
        wanted[other] = page.evaluate(SET, ["#desk", other_title, other_kind])
        page.locator(".desk-foot").get_by_role("button", name="Apply").click()
        all_applied(page, step)
        kept = page.evaluate("updraft.state.steps[updraft.selected].settings")
        assert {name: kept.get(name) for name in wanted} == wanted, step
        tried.add(step)
        if len(tried) == 6:
            return
    raise AssertionError(tried)


def test_columns_and_changes_made_in_both_views_both_stand(page):
    page.goto("/")
    dropped(page, "#drop", "lots.csv", "hub,grams\nFen,5\nDale,6\nfen,7\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    for kind in ("calculate", "recode values"):
        page.keyboard.press("Control+k")
        page.keyboard.type(kind)
        page.wait_for_selector(".add-option")
        page.keyboard.press("Enter")
        page.wait_for_function(f"() => updraft.stepDesk.step?.kind === {kind.replace(' ', '_')!r}")
        settle(page)
    page.evaluate("updraft.select('calculate')")
    page.wait_for_function("() => updraft.stepDesk.step?.id === 'calculate'")
    page.keyboard.press("Alt+w")
    page.locator("#wide .wide-middle input").first.fill("T1")
    page.locator("#wide .cm-content").click()
    page.keyboard.type("1+1")
    page.locator(".wide-foot").get_by_role("button", name="Apply").click()
    page.wait_for_function("() => updraft.drafts.size === 0")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="+ column").click()
    last = page.locator("#desk .record-card").last
    last.get_by_label("Column", exact=True).fill("T2")
    last.locator(".cm-content").click()
    page.keyboard.type("2+2")
    applied(page)
    made = page.evaluate("updraft.state.steps.calculate.settings.columns.map((one) => [one.name, one.formula])")
    assert made == [["T1", "1+1"], ["T2", "2+2"]]

    page.evaluate("updraft.select('recode_values')")
    page.wait_for_function("() => updraft.stepDesk.step?.id === 'recode_values'")
    page.locator("#desk").get_by_label("Column", exact=True).select_option("hub")
    settle(page)
    page.keyboard.press("Alt+w")
    page.locator(".wide-values button", has_text="Dale").click()
    page.keyboard.type("Vale")
    page.locator(".wide-foot").get_by_role("button", name="Apply").click()
    page.wait_for_function("() => updraft.drafts.size === 0")
    page.keyboard.press("Escape")
    page.locator("#desk").get_by_label("Ignore case").check()
    applied(page)
    kept = page.evaluate("updraft.state.steps.recode_values.settings")
    assert kept["changes"] == [{"old": "Dale", "new": "Vale"}] and kept["ignore_case"]


def test_going_on_applies_what_is_tried_says_so_and_a_reload_keeps_it(page):
    copy_of_demo(page)
    pick(page, "recode_variety")
    page.locator("#desk").get_by_label("Ignore case").check()
    page.locator(".desk-foot").get_by_text("Tried; going on applies it").wait_for()
    page.reload()
    page.wait_for_selector(".slick-row")
    page.locator(".desk-foot").get_by_text("Tried; going on applies it").wait_for()
    assert page.locator("#desk").get_by_label("Ignore case").is_checked(), "a reload loses nothing"
    page.locator("[data-step=tidy]").click()
    said = page.locator(".notice", has_text="Going on applied the settings of")
    said.wait_for()
    settle(page)
    assert page.evaluate("updraft.state.steps.recode_variety.settings.ignore_case") is True
    said.get_by_role("button", name="Undo").click()
    page.wait_for_function(
        "() => updraft.selected === 'recode_variety' && !updraft.state.steps.recode_variety.settings.ignore_case"
    )
    assert not page.locator("#desk").get_by_label("Ignore case").is_checked()


def test_a_script_that_fails_is_told_and_nothing_unsaved_is_lost(context, app):
    page = context.new_page()  # its own, since the page of other tests may not fail
    try:
        copy_of_demo(page)
        pick(page, "recode_variety")
        page.locator("#desk").get_by_label("Ignore case").check()
        page.evaluate("setTimeout(() => { throw new Error('made to fail'); })")
        page.locator("#trouble", has_text="made to fail").wait_for()
        assert violations(page) == []
        page.locator("#trouble").get_by_role("button", name="Reload").click()
        page.wait_for_function("() => !document.getElementById('trouble') && window.updraft?.stepDesk.form")
        assert page.locator("#desk").get_by_label("Ignore case").is_checked()
    finally:
        page.close()


# Every control of the form, used as a person would with the keyboard, the panel scrolled to it.
USED = """async () => {
  const told = [];
  for (let n = 0; n < 14; n += 1) {
    const all = [...document.querySelectorAll("#desk .desk-body :is(input, select, button, textarea, summary)")]
      .filter((one) => one.offsetParent && !one.disabled && !/across|Fetch|Bring|Choose a file|Open it|Edit the cells|See the first/.test(one.textContent) && one.type !== "file");
    const one = all[n];
    if (!one) break;
    one.focus();
    if (/^(BUTTON|SUMMARY)$/.test(one.tagName) || /radio|checkbox/.test(one.type)) one.click();
    await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
    const bar = document.querySelector(".bar").getBoundingClientRect().top;
    if (scrollY || bar || document.querySelector(".work").scrollTop || document.body.scrollTop)
      told.push(`scrolled by ${one.outerHTML.slice(0, 120)}`);
    if (!document.activeElement || document.activeElement === document.body)
      told.push(`the focus is lost after ${one.outerHTML.slice(0, 120)}`);
    document.getElementById("dialog").close();
    document.getElementById("menu").hidden = true;
  }
  return told;
}"""


@pytest.mark.parametrize("part", range(3))  # of the kinds, since it takes as long as ten others
def test_every_control_and_every_wide_desk_can_be_used_from_every_state_of_its_form(page, part):
    page.set_viewport_size({"width": 1280, "height": 620})
    opened = {}
    for step in with_all_kinds(page)[part::3]:
        at(page, step)
        settle(page)  # what is told of a file comes later, and draws the desk anew
        assert page.evaluate(USED) == [], f"{step}: a control scrolls the page away or loses the focus"
        page.evaluate("updraft.preview.drop(); updraft.drafts.clear()")
        opened[step] = len(page.evaluate(OPENED))
    assert sum(opened.values()) > 30 and min(n for kind, n in opened.items() if kind != "type_in_a_table") > 0


LISTING = {
    "choose_columns",
    "columns_to_rows",
    "join",
    "look_up",
    "look_up_alike",
    "set_types",
    "summarise",
    "tidy_text",
}


def test_no_form_that_lists_columns_is_wider_than_the_panel(page):
    wide = "(() => { const body = document.querySelector('#desk .desk-body'); return body.scrollWidth - body.clientWidth; })()"
    for step in LISTING & set(with_all_kinds(page, LONG)):
        at(page, step)
        assert page.evaluate(wide) <= 1, step


def test_undo_and_back_follow_what_a_person_did(page):
    copy_of_demo(page)
    steps = page.evaluate("updraft.state.course.stops.length")
    pick(page, "tidy")
    pick(page, "recode_variety")
    page.keyboard.press("Alt+l")
    page.wait_for_function("() => updraft.desk.view === 'findings'")
    page.keyboard.press("Alt+w")
    page.locator("#wide-title").wait_for()
    page.go_back()
    page.wait_for_function("() => !updraft.wide.open && updraft.desk.view === 'findings'")
    page.go_back()
    page.wait_for_function("() => updraft.desk.view === 'step' && updraft.selected === 'recode_variety'")
    page.go_back()
    page.wait_for_function("() => updraft.selected === 'tidy' && updraft.table?.step === 'tidy'")
    page.go_forward()
    page.wait_for_function("() => updraft.selected === 'recode_variety'")
    settle(page)
    for kind in ("calculate", "find and replace", "sort rows"):
        page.keyboard.press("Control+k")
        page.keyboard.type(kind)
        page.wait_for_selector(".add-option")
        page.keyboard.press("Enter")
        page.wait_for_function(
            f"() => updraft.state.course.stops.length === {steps + 1} && updraft.stepDesk.step?.id === updraft.selected"
        )
        settle(page)
        assert page.evaluate("document.activeElement.closest('#desk') !== null"), "ready to be set"
        page.keyboard.press("Control+z")
        page.wait_for_function(f"() => updraft.state.course.stops.length === {steps}")
        settle(page)


def test_a_rename_is_carried_on_to_the_steps_behind_in_one_revision(page):
    copy_of_demo(page)
    pick(page, "look_up")
    page.get_by_label("Name of Hub here").fill("Home hub")
    applied(page)
    told = page.locator(".notice", has_text="“Hub” is now “Home hub”")
    told.wait_for()
    revision = page.evaluate("updraft.state.revision")
    told.get_by_role("button", name="Use the new name there too").click()
    page.wait_for_function("() => updraft.state.steps.summarise.settings.by.includes('Home hub')")
    settle(page)
    assert page.evaluate("updraft.state.revision") == revision + 1
    assert page.evaluate("Object.values(updraft.state.steps).every((step) => step.status === 'fresh')")


def test_likely_keys_are_offered_with_the_rows_that_would_meet(page):
    page.goto("/")
    dropped(page, "#drop", "orders.csv", "order,grower,kg\nO1,00776,5\nO2,00778,6\nO3,00776,7\nO4,00999,8\n")
    page.wait_for_url("**/flows/*")
    page.wait_for_selector(".slick-row")
    settle(page)
    dropped(page, "#grid", "growers.csv", "no,name\n776,Rook\n778,Wren\n779,Lark\n")
    page.wait_for_function(
        "() => updraft.state.course.stops.length === 2 && updraft.table?.columns.some((one) => one.name === 'no')"
    )
    page.evaluate("updraft.select('read_file')")
    page.wait_for_function("() => updraft.stepDesk.step?.id === 'read_file'")
    settle(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("look up")
    page.wait_for_selector(".add-option")
    page.keyboard.press("Enter")
    page.wait_for_function("() => updraft.stepDesk.step?.kind === 'look_up'")
    likely = page.locator(".key-proposal").first
    likely.wait_for()
    assert likely.inner_text() == "grower = no\n3 of 4 rows would meet · digits as numbers"
    assert violations(page) == []
    likely.click()
    page.get_by_label("name", exact=True).check()
    applied(page)
    kept = page.evaluate("updraft.state.steps.look_up.settings")
    assert kept["keys"] == [{"column": "grower", "reference": "no"}] and kept["as_numbers"] is True
    assert page.evaluate("[updraft.table.step, updraft.table.sides.unmatched]") == ["look_up", 1]
