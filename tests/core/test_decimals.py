"""Decimals are reckoned with as on paper, in formulas and in figures."""

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from updraft.core.formula import compile_formula
from updraft.core.steps import Tables, kinds
from updraft.core.values import Kind
from updraft.core.values.decimals import exactly, exactly_whole, in_millionths

# As money, weights and rates are written: so many digits, up to three places.
NUMBERS = st.builds(lambda n, places: Decimal(n).scaleb(-places), st.integers(-(10**7), 10**7), st.integers(0, 3))
KINDS = {"a": Kind.NUMBER, "b": Kind.NUMBER}


def reckoned(formula: str, **cells: list[float]) -> list:
    return pl.DataFrame(cells).select(compile_formula(formula, KINDS).expr.alias("it"))["it"].to_list()


@example(Decimal(0), Decimal("68165.5"), Decimal("68166.2"))
@given(NUMBERS, NUMBERS, NUMBERS)
def test_a_formula_gives_the_decimal_that_paper_gives(a, b, c):
    cells = {"a": [float(a)], "b": [float(b)]}
    for formula, exact in (
        (f"a + b - {c}", a + b - c),
        ("a * b", a * b),
        (f"(a - b) * {c} + a", (a - b) * c + a),
        ("a / 10 - b / 100", a / 10 - b / 100),
        ("sum(a, b, a)", a + b + a),
    ):
        if exact == round(exact, 6 if abs(exact) < 9_000 else 2):
            assert reckoned(formula, **cells) == [float(exact)], formula
    assert reckoned(f"a + b == {a + b}", **cells) == [True]
    if b:
        assert reckoned("a // b", **cells) == [float((a / b).__floor__())]


@given(st.lists(NUMBERS, min_size=1, max_size=60), st.randoms(use_true_random=False))
def test_a_sum_is_exact_in_any_order(numbers, order):
    shuffled = order.sample(numbers, len(numbers))
    table = pl.DataFrame({"a": [float(n) for n in shuffled]})
    assert table.select(exactly(pl.col("a"), pl.Expr.sum)).item() == float(sum(numbers))
    running = table.select(exactly(pl.col("a"), pl.Expr.cum_sum)).to_series().to_list()
    assert running == [float(sum(shuffled[: n + 1])) for n in range(len(shuffled))]


FINE = st.builds(lambda n, places: n / 10**places, st.integers(-(10**14), 10**14), st.integers(6, 9)) | st.builds(
    lambda n, places: round(n / 10**places, 6), st.integers(-(10**9), 10**9), st.integers(1, 6)
)
CELLS = st.tuples(st.sampled_from("ab"), st.none() | st.just(-0.0) | FINE | st.floats(-1e9, 1e9))


@example([("a", 499_999_999.999999), ("b", -499_999_999.999999), ("a", 1e-6)])
@example([("a", 3e8 + n / 1e6) for n in range(31)])  # their sum has no room for six places
@given(st.lists(CELLS, max_size=40))
def test_whole_millionths_add_up_to_the_same_to_the_last_bit_where_they_are_taken(cells):
    table = pl.DataFrame(cells, {"by": pl.String, "a": pl.Float64}, orient="row")
    numbers = [number for _, number in cells if number is not None]
    short = all(round(number, 6) == number and abs(number) < 5e8 for number in numbers)
    assert in_millionths(table.lazy(), ["a"]) == ({"a"} if short else set())
    assert not in_millionths(pl.LazyFrame({"a": [4.9e8] * 20_000}), ["a"]), "there is no room for their sum"
    if short:
        a, bits = pl.col("a"), pl.first().reinterpret(signed=True)
        pairs = zip(
            *(
                table.group_by("by", maintain_order=True).agg(made)["a"].to_frame().select(bits).to_series()
                for made in (exactly(a, pl.Expr.sum), exactly_whole(a))
            ),
            strict=True,
        )
        assert all(one == other for one, other in pairs)


@pytest.mark.parametrize("odd", [1 / 3, 1e-9, 1e300, float("nan"), float("inf"), 123456789.1234567, 2.0**53 + 2])
def test_what_is_no_short_decimal_stays_as_it_is(odd):
    assert str(reckoned("a + b", a=[odd], b=[0.0])[0]) == str(odd)
    table = pl.DataFrame({"a": [odd]})
    assert str(table.select(exactly(pl.col("a"), pl.Expr.sum)).item()) == str(odd)
    assert not in_millionths(table.lazy(), ["a"])


def test_money_of_thousands_of_millions_keeps_its_cents():
    table = pl.LazyFrame({"hub": ["Fen", "Dale"] * 3, "paid": [9_876_543_210.1, 0.1, 0.2, 0.2, 1_234_567.89, 0.7]})
    kind = kinds()["summarise"]
    figures = [{"figure": "sum", "column": "paid", "name": "S"}, {"figure": "range", "column": "paid", "name": "R"}]
    settings = kind.Settings.model_validate({"by": ["hub"], "figures": figures})
    done = kind.work(Tables.of(table), settings, None).table.collect()
    assert done.rows() == [("Dale", 1.0, 0.6), ("Fen", 9_877_777_778.19, 9_876_543_209.9)]


def test_an_expression_grows_with_its_signs_and_no_faster():
    long = compile_formula(" + ".join(["a * b"] * 12), KINDS).expr
    assert str(long).count('col("a")') == 12
    assert reckoned(" + ".join(["a"] * 50), a=[0.1], b=[0.0]) == [5.0]
