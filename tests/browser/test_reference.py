"""Names decided against a reference, a graph and reports made, through the page."""

import pytest

from tests.browser.conftest import bring_flow, settle, violations
from tests.browser.hands import Mouse
from updraft.core import dump
from updraft.demo.flows import Ready, trial, varieties


@pytest.fixture
def copied(page, app):
    """A copy of a ready flow at a step, since tests share the app."""

    def copy(ready: Ready, stop: str) -> None:
        bring_flow(page, dump(ready.flow), [app.data / "larkmoor" / name for name in ready.files])
        page.locator(f"[data-step={stop}]").click()
        page.wait_for_function(f"() => updraft.table?.step === '{stop}'")
        settle(page)

    return copy


def names(page) -> list[str]:
    return page.locator(".question").evaluate_all("list => list.map(item => item.dataset.name)")


def candidate(page, name: str, meant: str):
    return page.locator(f"[data-name='{name}'] .candidate", has_text=meant).first.get_by_role("button")


def test_doubtful_names_are_reviewed_and_stay_decided(page, copied):
    copied(varieties(), "match")
    page.get_by_text("4 names to decide").wait_for()
    assert names(page) == ["Phaseolus coccinius", "Phaseolus vulgarus", "Cucumis sativa", "Raphanus raphanus"]
    page.get_by_role("button", name="Species (", exact=False).wait_for()  # the kind of thing is proposed
    candidate(page, "Phaseolus coccinius", "Phaseolus coccineus").click()
    page.get_by_text("3 names to decide").wait_for()
    page.locator("[data-name='Raphanus raphanus'] summary", has_text="Another").click()
    search = page.get_by_role("searchbox", name="Search the reference for Raphanus raphanus")
    search.fill("radish")
    page.get_by_role("button", name="Take: Raphanus raphanus means Raphanus sativus").click()
    page.get_by_text("2 names to decide").wait_for()
    page.locator("[data-name='Cucumis sativa'] summary", has_text="None of these").click()
    page.get_by_role("button", name="It is new: Cucumis sativa").click()
    page.get_by_text("1 name to decide").wait_for()
    settle(page)
    assert violations(page) == []
    page.locator("[data-name='Phaseolus vulgarus'] summary", has_text="None of these").click()
    page.get_by_role("button", name="Leave it without: Phaseolus vulgarus").click()
    page.get_by_text("4 answers given").wait_for()
    assert names(page) == []
    page.reload()
    page.wait_for_function("() => updraft.table?.step === 'match'")
    page.get_by_text("4 answers given").wait_for()
    found = page.evaluate(
        "async () => (await (await fetch(`/api/flows/${updraft.flow}/steps/match/decisions`)).json()).given"
    )
    assert {key: answer.partition(" ")[2] or answer for key, answer, *_ in found} == {
        "Phaseolus coccinius": "Phaseolus coccineus",
        "Raphanus raphanus": "Raphanus sativus",
        "Cucumis sativa": "(new)",
        "Phaseolus vulgarus": "(left)",
    }
    page.keyboard.press("Control+z")
    page.get_by_text("1 name to decide").wait_for()


def test_doubtful_names_are_gone_through_by_keys_on_the_desk(page, copied):
    copied(varieties(), "match")
    page.keyboard.press("Alt+w")
    lines = page.locator(".family-list button strong")
    page.wait_for_function("() => document.querySelectorAll('.family-list button').length === 4")
    settle(page)
    assert violations(page) == []
    page.locator(".family-list button").first.focus()
    for key in ("2", "n", "l"):
        before = lines.count()
        page.keyboard.press(key)
        page.wait_for_function("n => document.querySelectorAll('.family-list button').length === n - 1", arg=before)
    settle(page)
    assert lines.all_inner_texts() == ["Raphanus raphanus"]
    page.keyboard.press("Control+z")
    page.wait_for_function("() => document.querySelectorAll('.family-list button').length === 2")
    assert lines.all_inner_texts() == ["Cucumis sativa", "Raphanus raphanus"], "what is taken back is asked again"
    page.get_by_text("decided", exact=True).click()
    assert lines.all_inner_texts() == ["Phaseolus coccinius", "Phaseolus vulgarus"]
    found = page.evaluate(
        "async () => (await (await fetch(`/api/flows/${updraft.flow}/steps/match/decisions`)).json()).given"
    )
    answers = {key: answer.partition(" ")[2] or answer for key, answer, *_ in found}
    assert answers == {"Phaseolus coccinius": "Phaseolus acutifolius", "Phaseolus vulgarus": "(new)"}


def test_terms_are_found_and_the_graph_is_seen_before_it_is_written(page, copied):
    hand = Mouse(page)
    copied(varieties(), "graph")
    page.get_by_role("button", name="See the first of it").click()
    page.locator(".sample-text").get_by_text("dwc:scientificName").wait_for()
    box = page.get_by_role("combobox", name="Each is a", exact=False)
    box.fill("product")
    page.locator(".finder-option", has_text="schema:Product").first.wait_for()
    assert violations(page) == []
    page.locator(".finder-option", has_text="schema:Product").first.click()
    page.wait_for_function("() => updraft.drafts.get('graph')?.type === 'schema:Product'")
    hand.button("Apply")
    settle(page)
    page.get_by_role("button", name="See the first of it").click()
    page.locator(".sample-text").get_by_text("a schema:Product").first.wait_for()


def test_a_report_is_seen_before_it_is_made_and_a_template_without_its_column_is_told(page, copied, tmp_path):
    copied(trial(), "report")
    page.get_by_role("button", name="See the first of it").click()
    sample = page.frame_locator(".sample-page")
    sample.get_by_role("heading", name="Brandywine").wait_for()
    assert sample.locator("rect").count() == 10
    page.get_by_role("button", name="Larger").click()
    page.get_by_role("dialog").get_by_role("button", name="Close").click()
    (tmp_path / "other.html").write_text("<p>{{ first.Flavour }}</p>")
    page.locator("input[type=file][id$=upload]").set_input_files(tmp_path / "other.html")
    page.wait_for_function("() => updraft.drafts.get('report')?.template === 'other.html'")
    settle(page)
    page.get_by_role("button", name="See the first of it").click()
    page.get_by_text("it asks for a column “Flavour”, and the table has none").wait_for()
    assert violations(page) == []
