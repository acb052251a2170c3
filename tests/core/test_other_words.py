"""What people from spreadsheets and databases type leads to how it is said here."""

import pytest

from updraft.core.formula import FormulaError, compile_formula
from updraft.core.formula.other_words import SAID_HERE, STEPS, said_here, words_for
from updraft.core.formula.registry import functions
from updraft.core.steps import find_kinds, kinds
from updraft.core.steps.search import elsewhere
from updraft.core.values import Kind

COLUMNS = {"a": Kind.NUMBER, "b": Kind.NUMBER, "t": Kind.TEXT, "u": Kind.TEXT, "d": Kind.DATE, "e": Kind.DATE}


def refused(text: str) -> str:
    with pytest.raises(FormulaError) as told:
        compile_formula(text, COLUMNS)
    return f"{told.value.reason} {told.value.way_out}"


@pytest.mark.parametrize("word", sorted(SAID_HERE))
def test_what_is_said_instead_is_a_formula_that_works(word):
    assert compile_formula(SAID_HERE[word], COLUMNS).expr is not None
    if word not in functions() and word != "not":
        assert SAID_HERE[word] in refused(f"{word}(a, b, 1)"), "in either case, as people type it"
        assert SAID_HERE[word] in refused(f"{word.upper()}(a, b)")


@pytest.mark.parametrize("word", sorted(STEPS))
def test_what_is_a_step_here_is_told_and_found(word):
    assert STEPS[word].split(",")[0] in {kind.title for kind in kinds().values()}
    if word not in functions():
        assert STEPS[word] in refused(f"{word}(a, b)")


@pytest.mark.parametrize(
    ("text", "way_out"),
    [
        ("=a + b", "Begin with what follows it."),
        ("a = b", "Write == to compare."),
        ("a <> b", "Write != for"),
        ("replace(t; 'x'; 'y')", "Divide what stands in brackets by commas."),
        ("IF(a;b;c)", "a if b > 0 else 0"),
        ("t & u", "Write + to put texts together"),
        ("a ^ 2", "Write ** for a power"),
    ],
)
def test_signs_of_other_formulas_are_told_by_ours(text, way_out):
    assert way_out in refused(text)


def test_functions_are_found_by_the_words_of_others():
    assert "lag" in words_for("previous") and "eomonth" in words_for("month_end") and words_for("nothing") == []
    assert said_here("zzz") == ""


@pytest.mark.parametrize("query", ["running total", "running", "percent", "percentage", "cumulative"])
def test_steps_are_found_for_figures_that_run_along(query):
    assert "calculate" in [kind.kind for kind in find_kinds(query)][:4]


def test_what_is_no_step_is_told_where_it_stands():
    assert "page of its runs" in elsewhere("schedule") and "page of its runs" in elsewhere("Daily")
    assert elsewhere("join") == elsewhere("") == elsewhere("tidy") == ""
