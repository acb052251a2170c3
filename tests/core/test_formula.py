"""Formulas against plain Python, and everything that is no formula refused by name and place."""

import math
from datetime import date, timedelta
from time import perf_counter

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.engine.told import told
from updraft.core.formula import FormulaError, compile_formula, names_in
from updraft.core.formula.functions.text import as_text
from updraft.core.formula.registry import function, functions
from updraft.core.formula.writing import quoted
from updraft.core.steps.choice import ColumnChoice
from updraft.core.values import Kind, kind_of

SCHEMA = {"packets": pl.Int64, "price": pl.Float64, "hub": pl.String, "sent": pl.Boolean, "Ordered on": pl.Date}
KINDS = {name: kind_of(dtype()) for name, dtype in SCHEMA.items()}
ROW = st.tuples(
    st.none() | st.integers(-1000, 1000),
    st.none() | st.integers(-4000, 4000).map(lambda n: n / 8),
    st.none() | st.sampled_from(["Fen", "Dale", "bay gem", "GZ-10", ""]),
    st.none() | st.booleans(),
    st.none() | st.dates(date(2020, 1, 1), date(2030, 12, 31)),
)


def result(formula: str, rows: list | None = None) -> list:
    table = pl.DataFrame(rows or [(None,) * 5], schema=SCHEMA, orient="row")
    return table.with_columns(compile_formula(formula, KINDS).expr.alias("x")).get_column("x").to_list()


@pytest.mark.parametrize("name", sorted(name for name, found in functions().items() if found.example[0]))
def test_a_function_gives_what_its_example_says(name):
    formula, gives = functions()[name].example
    term = compile_formula(formula, {})
    assert (pl.select(as_text(term)).item() or "") == gives


# A formula is made together with the plain Python that says what it means: (text, row → value).
NUMBERS = st.sampled_from(
    [("packets", lambda r: r[0]), ("price", lambda r: r[1]), ("3", lambda r: 3), ("0", lambda r: 0)]
)
TEXTS = st.sampled_from([("hub", lambda r: r[2]), ("'Fen'", lambda r: "Fen"), ("''", lambda r: "")])
TESTS = st.sampled_from([("sent", lambda r: r[3]), ("True", lambda r: True)])


def strict(make):
    """Empty where any part is empty."""
    return lambda *parts: None if None in parts else make(*parts)


SIGNS = {
    "+": strict(lambda a, b: a + b),
    "-": strict(lambda a, b: a - b),
    "*": strict(lambda a, b: a * b),
    "/": strict(lambda a, b: None if b == 0 else a / b),
    "//": strict(lambda a, b: None if b == 0 else a // b),
    "%": strict(lambda a, b: None if b == 0 else a % b),
}
COMPARE = {
    "==": strict(lambda a, b: a == b),
    "!=": strict(lambda a, b: a != b),
    "<": strict(lambda a, b: a < b),
    ">=": strict(lambda a, b: a >= b),
}


def made(template, *parts, of):
    texts, values = zip(*parts, strict=True)
    return template.format(*texts), lambda row: of(*(value(row) for value in values))


@st.composite
def numbers(draw, deep=2):
    if deep == 0 or draw(st.booleans()):
        return draw(NUMBERS)
    sign = draw(st.sampled_from(sorted(SIGNS)))
    pair = draw(numbers(deep - 1)), draw(numbers(deep - 1))
    return draw(
        st.sampled_from([
            made(f"({{}} {sign} {{}})", *pair, of=SIGNS[sign]),
            made("abs({})", pair[0], of=strict(abs)),
            made("if_empty({}, {})", *pair, of=lambda a, b: b if a is None else a),
            made("filled({}, {})", *pair, of=lambda *both: sum(one is not None for one in both)),
            made("sign({})", pair[0], of=strict(lambda a: (a > 0) - (a < 0))),
            made("words({})", draw(TEXTS), of=strict(lambda a: len(a.split()))),
            made("position({}, 'e')", draw(TEXTS), of=strict(lambda a: a.find("e") + 1 or None)),
            made("largest({}, {})", *pair, of=lambda *both: max((v for v in both if v is not None), default=None)),
            made("({} if {} else {})", pair[0], draw(truths(0)), pair[1], of=lambda a, test, b: a if test else b),
        ])
    )  # fmt: skip


@st.composite
def texts(draw, deep=2):
    if deep == 0 or draw(st.booleans()):
        return draw(TEXTS)
    one, other = draw(texts(deep - 1)), draw(texts(deep - 1))
    return draw(
        st.sampled_from([
            made("({} + {})", one, other, of=strict(lambda a, b: a + b)),
            made("upper({})", one, of=strict(str.upper)),
            made("first({}, 2)", one, of=strict(lambda a: a[:2])),
            made("last({}, 2)", one, of=strict(lambda a: a[-2:])),
            made("middle({}, 2, 2)", one, of=strict(lambda a: a[1:3])),
            made("replace({}, 'e', {})", one, other, of=strict(lambda a, b: a.replace("e", b))),
            made("before({}, 'e')", one, of=strict(lambda a: a.split("e")[0])),
            made("joined('-', {}, {})", one, other, of=lambda *both: "-".join(v for v in both if v is not None and v.strip())),
            made("insert({}, 2, '-')", one, of=strict(lambda a: f"{a[:2]}-{a[2:]}")),
            made("after_last({}, 'e')", one, of=strict(lambda a: a.split("e")[-1])),
            made("without({}, 'e-')", one, of=strict(lambda a: a.replace("e", "").replace("-", ""))),
            made("reverse({})", one, of=strict(lambda a: a[::-1])),
            made("listed(split({}, 'e'), '+')", one, of=strict(lambda a: "+".join(a.split("e")))),
            made("pad({}, 4, '0')", one, of=strict(lambda a: a.rjust(4, "0"))),
        ])
    )  # fmt: skip


@st.composite
def truths(draw, deep=1):
    if deep == 0:
        return draw(TESTS)
    sign = draw(st.sampled_from(sorted(COMPARE)))
    of_numbers = made(f"{{}} {sign} {{}}", draw(numbers(1)), draw(numbers(1)), of=COMPARE[sign])
    of_texts = made(f"{{}} {sign} {{}}", draw(texts(1)), draw(texts(1)), of=COMPARE[sign])
    among = made("{} in ('Fen', 'Dale')", draw(texts(1)), of=strict(lambda a: a in ("Fen", "Dale")))
    empty = made("is_empty({})", draw(texts(1)), of=lambda a: a is None or not a.strip())
    return draw(st.sampled_from([of_numbers, of_texts, among, empty]))


@given(numbers() | texts() | truths(), st.lists(ROW, min_size=1, max_size=6))
def test_a_formula_means_what_plain_python_says(formula, rows):
    text, meaning = formula
    for got, row in zip(result(text, rows), rows, strict=True):
        wanted = meaning(row)
        if isinstance(wanted, float) and isinstance(got, float):
            assert math.isclose(got, wanted, rel_tol=1e-9, abs_tol=1e-12), (text, row)
        else:
            assert got == wanted, (text, row)


@pytest.mark.parametrize(
    "formula",
    [
        "3 != (3 % packets)",
        "2 + 1 == (packets if packets > 50 else 3)",
        "empty_if(3, packets if packets > 50 else 3) in (3, 4)",
        "3 in (4, packets if packets > 50 else 3)",
        "joined('-', hub, hub) != replace('Fen', 'e', 'Fen')",
    ],
)
def test_a_constant_is_compared_with_a_choice_that_is_alike_in_all_rows(formula):
    assert len(result(formula, [(0, None, None, None, None)] * 2)) == 2


@pytest.mark.parametrize(
    ("formula", "gives"),
    [
        ("upper(`the hub`) + '`no`'", "FEN`no`"),
        ('"it\'s ` " + `the hub`', "it's ` fen"),
        ("`n-1` * 2 + `n-1`", 9),
        ("'\\'' + `the hub`", "'fen"),
    ],
)
def test_names_in_backticks_are_columns_wherever_they_are_no_text(formula, gives):
    table = pl.DataFrame({"the hub": ["fen"], "n-1": [3]})
    kinds = {"the hub": Kind.TEXT, "n-1": Kind.WHOLE}
    assert table.select(compile_formula(formula, kinds).expr.alias("x"))["x"].to_list() == [gives]
    assert names_in(formula)[0] == frozenset({"the hub"} if "hub" in formula else {"n-1"})


@pytest.mark.parametrize(
    ("formula", "place", "said"),
    [
        ("1 + `the hub", 4, "not closed"),
        ("`é` + `the hib`", 0, "no such column"),
        ("`the hub` + nix(1)", 12, "no function nix"),
    ],
)
def test_what_is_wrong_beside_a_name_in_backticks_is_told_at_its_place(formula, place, said):
    with pytest.raises(FormulaError, match=said) as raised:
        compile_formula(formula, {"the hub": Kind.TEXT})
    assert raised.value.place == place


@given(st.lists(ROW, min_size=1, max_size=12))
def test_functions_of_groups_count_the_rows_that_are_equal(rows):
    def of(hub):
        return [row for row in rows if row[2] == hub]

    def filled(hub):
        return [row[0] for row in of(hub) if row[0] is not None]

    assert result("total(packets, by=hub)", rows) == [sum(filled(r[2])) if filled(r[2]) else None for r in rows]
    assert result("count(packets, by=hub)", rows) == [len(filled(r[2])) for r in rows]
    assert result("highest(packets, by=(hub, sent))", rows) == [
        max((o[0] for o in rows if o[2:4] == r[2:4] and o[0] is not None), default=None) for r in rows
    ]
    assert result("row_number(by=hub)", rows) == [sum(o[2] == r[2] for o in rows[: n + 1]) for n, r in enumerate(rows)]
    assert result("previous(packets)", rows) == [None, *(r[0] for r in rows[:-1])]
    ranks = [None if r[0] is None else 1 + sum(v > r[0] for v in filled(r[2])) for r in rows]
    assert result("rank(packets, by=hub)", rows) == ranks
    running, sums = 0, []
    for row in rows:
        running += row[0] or 0
        sums.append(running)
    assert result("running_total(packets)", rows) == sums


@given(st.dates(date(1990, 1, 1), date(2060, 12, 31)), st.integers(-800, 800))
def test_dates_are_counted_as_the_calendar_does(day, days):
    rows = [(days, None, None, None, day)]
    assert result("Ordered_on + packets", rows) == [day + timedelta(days=days)]
    assert result("days_between(Ordered_on, Ordered_on + packets)", rows) == [days]
    assert result("day_of(year(Ordered_on), month(Ordered_on), day(Ordered_on))", rows) == [day]
    iso = day.isocalendar()
    assert result("week(Ordered_on) * 10 + weekday(Ordered_on)", rows) == [iso.week * 10 + iso.weekday]
    assert result("month_end(Ordered_on) + 1 == month_start(add_months(Ordered_on, 1))", rows) == [True]
    assert result("date(text(Ordered_on, 'DD.MM.YYYY'), 'DD.MM.YYYY')", rows) == [day]


def test_a_product_too_large_is_empty_and_not_another_number():
    assert result("packets * packets", [(1 << 62, None, None, None, None)]) == [None]


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("12 x 5 g", 12), ("1,234.5", 1234.5), ("1,5 kg", 1.5), ("LOT-12", 12), ("-3 °C", -3), ("none", None), ("1e3", 1000),
        ("USD 2,085.15", 2085.15), ("(2,085.15)", -2085.15), ("12,345,678 packets", 12345678), ("1.234,50 EUR", 1234.5), ("at 51,23456 N", 51.23456),
    ],
)  # fmt: skip
def test_the_number_that_stands_in_a_text(text, number):
    assert result("number(hub)", [(None, None, text, None, None)]) == [number]


@pytest.mark.parametrize(
    ("formula", "place", "says"),
    [
        ("amount + 1", 0, "no such column"),
        ("upper(packets)", 6, "“text” must be text, and this is a whole number"),
        ("packets + hub", 0, "text cannot be calculated with by +"),
        ("1 + hub.upper()", 4, "not name.upper()"),
        ("packets\n  + foo", 12, "no such column"),
        ("'ü' + größe", 6, "no such column"),
        ("__import__('os')", 0, "no function __import__"),
        ("hub.__class__", 0, "no dots but params.name"),
        ("().__class__.__bases__", 0, "no dots but params.name"),
        ("params.__class__", 0, "there are no parameters here"),
        ("(lambda: 1)()", 0, "only functions can be called"),
        ("[x for x in hub]", 0, "formulas do not have this"),
        ("f'{hub}'", 0, "formulas do not have this"),
        ("hub[0]", 0, "formulas do not have this"),
        ("upper(*hub)", 6, "formulas do not have this"),
        ("(price := 3)", 1, "formulas do not have this"),
        ("b'x'", 0, "formulas do not have this"),
        ("(1 + 2", 0, "a bracket is not closed"),
        ("'Fen", 0, "a quote is not closed"),
        ("packets = 3", 0, "Write == to compare"),
        ("price * 1.000,5", 0, "The decimal sign is a point"),
        ("[price] * 2", 0, "Write price, or in backticks"),
        ("price > 5 AND packets > 2", 0, "Write and."),
        ("hub == None", 0, "is_empty"),
        ("round(price, packets)", 13, "must be written out here"),
        ("upper()", 0, "“text” is missing"),
        ("upper('a', 'b')", 0, "more than it takes"),
        ("round(price, digits=2)", 0, "does not take “digits”"),
        ("packets in ('Fen',)", 0, "cannot stand for each other"),
        ("'a' if packets else 'b'", 0, "a condition is needed"),
        ("extract(hub, '(')", 0, "is not a pattern"),
        ("1e999", 0, "too large"),
        ("9" * 30, 0, "too large"),
        ("total", 0, "it is a function"),
        ("x" * 100_000, 0, "5,000 are the most"),
        ("(" * 1000 + "1" + ")" * 1000, 0, "60 deep"),
        ("-" * 1000 + "1", 0, "1,000 parts"),
        ("1+" * 200 + "1", 0, "60 deep"),
        ("\0", 0, "cannot be read"),
    ],
)
def test_what_is_no_formula_is_refused_by_name_and_place(formula, place, says):
    with pytest.raises(FormulaError, match=r".") as caught:
        compile_formula(formula, KINDS)
    assert says in str(caught.value) and caught.value.way_out
    assert (
        caught.value.place in (place, place + 1)
        if "not closed" in says or "==" in says
        else caught.value.place == place
    )


def test_a_column_is_named_as_it_is_or_with_blanks_as_underscores():
    kinds = {"Ordered on": Kind.DATE, "a b": Kind.WHOLE, "a-b": Kind.WHOLE, "größe": Kind.WHOLE}
    for formula in ("Ordered_on", "column('Ordered on')"):
        assert compile_formula(formula, kinds).expr.meta.root_names() == ["Ordered on"]
    assert compile_formula("größe", kinds).kind is Kind.WHOLE
    with pytest.raises(FormulaError, match="“a b” or “a-b”"):
        compile_formula("a_b", kinds)


def test_the_names_that_a_formula_reads():
    assert names_in("round(price * packets) + params.extra") == ({"price", "packets"}, {"extra"})
    assert names_in("column('Ordered on')") == ({"Ordered on"}, frozenset())
    assert names_in("Ordered_on") == (None, frozenset()), "only the table tells how it is written"
    assert names_in("total(price, by=hub)") == ({"price", "hub"}, frozenset())


def test_a_column_goes_into_a_text_that_is_written_out():
    rows = [(None, None, hub, None, None) for hub in ("Fen", None, "Dale")]
    assert result("replace('at e', 'e', hub)", rows) == ["at Fen", None, "at Dale"]
    assert result("replace(upper('at e'), 'E', hub + hub)", rows) == ["AT FenFen", None, "AT DaleDale"]
    assert result("replace(hub, 'e', upper('x'))", rows) == ["FXn", None, "DalX"]


def test_what_is_below_and_above_is_taken_of_the_number_that_was_meant():
    for formula, expected in (("down", 16208), ("up", 16208)):
        assert result(f"{formula}(8.104 * 1000 / 0.5)") == [expected]
    assert result("down(2.006 * 1000 / 0.5)") == [4012] and result("up(1000 / 3)") == [334]


def test_several_values_of_a_row_are_added_and_averaged():
    assert result("sum(1, 2.5, None)") == [3.5] and result("mean(1, 2.5, None)") == [1.75]
    assert result("sum(None, number('?'))") == [None] and result("mean(None, number('?'))") == [None]


PIECE = st.sampled_from([
    *functions(), "packets", "price", "hub", "`Ordered on`", "params.x", "column('hub')", "columns('p.*')", "None",
    "True", "1", "2.5", "-3", "'a'", "'('", "''", "(", ")", "[", "]", ",", "+", "-", "*", "/", "//", "%", "**", "==",
    "<", "in", "not", "and", "or", "if", "else", "by=", ".", "__class__", "lambda", ":", "=", "`", "'", " ", "\n", "{", "}",
    "import os", "is", "@", "~", "\\", "é", "\0", "\ud800", "99999999999999999999", "1e999", "for x in hub",
])  # fmt: skip


@given(st.lists(PIECE, max_size=14).map("".join) | st.lists(PIECE, max_size=10).map(" ".join) | st.text(max_size=40))
def test_whatever_is_typed_is_computed_or_refused_in_words(text):
    try:
        term = compile_formula(text, KINDS, lambda name: 1)
    except Problem as problem:
        assert problem.thing and problem.reason.endswith((".", "?")), text
        return
    table = pl.DataFrame([(1, 2.5, "Fen", True, date(2026, 3, 31))], schema=SCHEMA, orient="row")
    try:
        table.select(term.expr)
    except pl.exceptions.PolarsError as error:
        assert told(error, "Calculate").reason, text
    names_in(text)


@pytest.mark.parametrize(
    "formula",
    ["1+" * 60_000 + "1", "(" * 1_000 + "1" + ")" * 1_000, "-" * 4_000 + "1", "hub.__class__.__mro__", "().__class__",
     "__import__('os')", "open('x')", "[x for x in hub]", "lambda: 1", "fits(hub, '(a+)+$(((((')", "9**9**9**9",
     "'a' * 1000000000", "f'{hub}'", "hub[0]", "pad(hub, 999999999999)", "repeat(hub, 101)", "params.__class__"],
)  # fmt: skip
def test_what_would_do_harm_ends_at_once_in_a_sentence_or_a_value(formula):
    started = perf_counter()
    try:
        result(formula, [(1, 2.5, "a" * 5_000 + "!", True, None)])
    except (Problem, pl.exceptions.PolarsError, TypeError) as error:
        assert not isinstance(error, TypeError), formula
    assert perf_counter() - started < 2, "all of these end at once; ten times that is a slow machine"


@pytest.mark.parametrize(
    ("formula", "gives"),
    [
        ("mean(columns('p.*'))", 6.25),
        ("sum(packets, columns('PRICE'))", 12.5),
        ("filled(columns('.*'))", 4),
        ("joined('/', columns('h.*'), columns('p.*'))", "Fen/10/2.5"),
    ],
)
def test_a_function_of_many_takes_all_columns_whose_names_fit(formula, gives):
    assert result(formula, [(10, 2.5, "Fen", True, None)]) == [gives]
    assert names_in(formula)[0] is None, "only the table tells which columns they are"


def test_a_little_less_than_nothing_rounds_to_nothing_without_a_sign():
    assert result("text(round(0 - 0.0000001, 2))") == ["0"] and result("fixed(0 - 0.0000001, 2)") == ["0.00"]


def test_a_pattern_of_names_takes_no_longer_than_the_names_are_long():
    names = {"a" * 5_000 + "!": Kind.NUMBER}
    started = perf_counter()
    with pytest.raises(Problem, match="no column has such a name"):
        compile_formula("sum(columns('(a+)+$'))", names)
    chosen = ColumnChoice(by="pattern", pattern="(a+)+$").resolve(pl.Schema(dict.fromkeys(names, pl.Int64)))
    assert chosen == [] and perf_counter() - started < 2


@given(st.lists(ROW, min_size=1, max_size=12))
def test_functions_that_run_through_a_table_do_what_a_loop_does(rows):
    packets = [row[0] for row in rows]
    known = [n for n in packets if n is not None]
    for place, (running, carried, gone) in enumerate(
        zip(result("running_count(packets)", rows), result("carried(packets)", rows),
            result("difference(packets)", rows), strict=True)
    ):  # fmt: skip
        upto = [n for n in packets[: place + 1] if n is not None]
        assert running == len(upto) and carried == (upto[-1] if upto else None)
        before = packets[place - 1] if place else None
        assert gone == (None if None in (before, packets[place]) else packets[place] - before)
    assert result("first_of(packets)", rows)[0] == (known[0] if known else None)
    most = max(sorted(set(known)), key=known.count, default=None)
    assert result("most_common(packets)", rows)[0] == most


def test_parts_that_are_blank_are_left_out_when_put_together():
    table = pl.DataFrame({"a": ["x", " ", None, ""], "b": ["y", "y", "y", None]})
    made = table.select(compile_formula("joined('-', a, b, 3)", {"a": Kind.TEXT, "b": Kind.TEXT}).expr.alias("made"))
    assert made["made"].to_list() == ["x-y-3", "y-3", "y-3", "3"]


@pytest.mark.parametrize(
    ("formula", "text", "gives"),
    [
        ("plain(hub)", "Łęka bei Weißsee, Ørsted", "Leka bei Weisssee, Orsted"),
        ("if_empty(hub, 'none')", "  ", "none"),
        ("if_empty(hub, '')", "Fen", "Fen"),
        ("before_last(hub, ' oat ')", "pea oat oat oat", "pea oat"),
        ("before_last(hub, '(')", "pea (1) (2)", "pea (1) "),
        ("parts_once(hub, ' ')", "oat pea oat", "oat pea"),
    ],
)
def test_letters_blanks_and_last_marks_are_what_a_reader_takes_them_for(formula, text, gives):
    assert result(formula, [(None, None, text, None, None)]) == [gives]


def test_no_two_functions_have_one_name():
    with pytest.raises(ValueError, match="upper"):
        function("text: text", "again", "upper('a')", "A", name="upper")(lambda text: text)


@pytest.mark.parametrize(
    ("text", "pattern", "taken"),
    [
        ("C:\\b\\2021", r"b\\([0-9]+)", "2021"), ("lot (12)", r"\([0-9]+", "(12"), ("lot (12)", "[(][0-9]+", "(12"),
        ("lot (12)", "[(]([0-9]+)", "12"), ("lot 12", "(?:lot) [0-9]+", "lot 12"), ("lot 12", "lot (?P<n>[0-9]+)", "12"),
    ],
)  # fmt: skip
def test_what_is_taken_out_is_the_group_where_a_bracket_makes_one(text, pattern, taken):
    made = compile_formula(f"extract(t, {quoted(pattern)})", {"t": Kind.TEXT}).expr
    assert pl.DataFrame({"t": [text]}).select(made.alias("x"))["x"].to_list() == [taken]
