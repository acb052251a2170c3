"""7: rows that stand twice, a column that is almost a key, one thing under two identifiers."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, short, step, where
from updraft.core.insight.findings.naming import names_a_key, ranks, words_of
from updraft.core.insight.findings.view import Column, View
from updraft.core.values import Kind

_LOGINS = frozenset({"login", "user", "username", "userid", "email", "mail", "handle"})
_DAY = r"^\d{1,4}[./-]\d{1,2}[./-]\d{1,4}"


def expected_doubles(view: View, columns: Sequence[Column]) -> float:
    """Pairs of equal rows that chance alone would make, were the columns independent of each other.

    Two rows agree in a column with the chance of the sum of its values' squared shares; the product over the columns,
    times the number of pairs.
    """
    chance = 0.0
    for column in columns:
        if not column.nested:
            shares = column.counts["n"].cast(pl.Float64) / max(view.height, 1)
            chance += math.log(
                max(float((shares * shares).sum()) + (column.empty / max(view.height, 1)) ** 2, 1e-12)
            )
    return math.exp(chance) * view.height * (view.height - 1) / 2


def duplicate_rows(view: View) -> Iterator[Finding]:
    """Rows equal in every column, blanks at the ends and doubled ones apart.

    Threshold: three columns at least, ten times as many such rows as chance would make (see `expected_doubles`), and a
    column that tells things apart: a code, a name or a moment of which seven of ten are distinct. Where nothing does but
    half of the values of a measure differ, such few rows may be two things that measure alike; a person decides. Where not
    even that, nothing is said.
    """
    if len(view.columns) < 3 or view.height < 4:
        return
    rows = _again(view.row_hashes)
    if (
        not rows.len()
        or rows.len() * 2 > view.height
        or expected_doubles(view, view.columns) * 10 > rows.len()
    ):
        return
    known = identified(view, view.height - rows.len())
    measured = rows.len() <= max(2, view.height // 500) and any(
        c.distinct * 2 >= view.height for c in view.columns
    )
    if not known and not measured:
        return
    examples = [
        " · ".join(str(v) for v in view.frame.row(int(row))[:3] if v is not None) for row in rows.head(3)
    ]
    blanks = any(c.untidy for c in view.texts)
    yield Finding(
        "duplicate_rows",
        (),
        rows.len(),
        f"{plural(rows.len(), 'row repeats', 'rows repeat')} another row in every column",
        "A row entered twice counts twice. Said in tables of three columns and more, where at least ten times as many rows are equal as "
        "chance would make; stray blanks make no difference.",
        short(examples),
        rows,
        (
            Repair(
                "Remove rows equal in every column",
                (step("remove_duplicates", **({"ignore_blanks": True} if blanks else {})),),
            ),
        ),
        open=not known,
        weight=88 if known else 45,
    )


def identified(view: View, things: int, but: Column | None = None) -> bool:
    """Whether a column tells things apart: seven of ten of its values differ, and they are names, codes or moments."""
    for column in view.columns:
        if column is but or column.distinct < 0.7 * things or column.nested:
            continue
        if column.is_date or (
            column.is_text and column.role in ("identifier", "name") and column.numbers is None
        ):
            return True
        if column.place == 0 and column.distinct == things and column.kind is not Kind.NUMBER:
            return True  # one row for each year, state or whatever stands first
        if column.kind is Kind.WHOLE and (names_a_key(column.name) or _numbers_rows(column)):
            return True
    return False


def _again(hashes: np.ndarray[Any, Any]) -> pl.Series:
    """Numbers of the rows whose hash came before."""
    return (~pl.Series(hashes).is_first_distinct()).arg_true()


def almost_keys(view: View) -> Iterator[Finding]:
    """A column of codes in which nearly every value differs, but a few stand twice in rows that are not equal.

    Threshold: at least 95 % of the filled cells distinct; text of any shape without blanks that is named a key or a login, 97 % of it distinct; or codes of one shape (letters, digits and signs in the same places, or runs of them in the same order), or whole numbers that are named a key or run
    regularly in the first column (measures are no keys); and either the values run regularly, or more doubles than numbers
    drawn from their range would have in one of a hundred tables (birthday problem).
    """
    if view.height < 20 or len(view.columns) < 2:
        return
    for column in view.columns:
        filled, distinct = column.filled, column.distinct
        if (
            filled < 0.9 * view.height
            or distinct >= filled
            or distinct < 0.95 * filled
            or not (_is_code(column, runs=True) or _by_name(column))
        ):
            continue
        doubles = column.counts.filter(pl.col("n") > 1)
        rows = column.rows_with(doubles["value"])
        # Rows equal in everything are told as such; here are those that share the key alone.
        again = ~column.series.is_first_distinct()
        equal = ~pl.Series(view.row_hashes).is_first_distinct()
        later = int((again & ~equal).gather(rows).sum())
        if not later or not (_by_name(column) or _regular(column) or _unlikely(later, _by_chance(column))):
            continue
        yield Finding(
            "almost_key",
            (column.name,),
            later,
            f"{column.name} is almost a key: {plural(doubles.height, 'value stands', 'values stand')} in several rows",
            "Joins by this column would repeat rows. Said of codes of one shape of which 95 % differ, where they run regularly or chance "
            "would hardly make as many doubles.",
            short(column.texts(doubles["value"])),
            rows,
            (
                *_marking(column, doubles["value"]),
                Repair(
                    f"Keep the fullest row for each {column.name}",
                    (step("remove_duplicates", keys=[column.name], stays="fullest"),),
                ),
            ),
            weight=68,
        )


def _marking(column: Column, values: pl.Series) -> tuple[Repair, ...]:
    """Two things under one key, or one thing twice: nobody but a person can tell, so the rows are marked first."""
    rule = where(column.name, "one_of", values=column.texts(values))
    marked = step("mark_rows", name=f"{column.name} twice", rule=rule)
    return (Repair(f"Mark the rows that share a {column.name}", (marked,)),) if values.len() <= 500 else ()


def _numbers_rows(column: Column) -> bool:
    return column.place == 0 and not ranks(column.name) and _regular(column)


def _by_name(column: Column) -> bool:
    """Whether text of any shape is a key by its name, as names to log in with are: hardly any stands twice, none has blanks."""
    named = names_a_key(column.name) or bool(_LOGINS & set(words_of(column.name)))
    if not (named and column.is_text and column.distinct >= 0.97 * column.filled):
        return False
    return column.role in ("identifier", "name") and not column.meant["value"].str.contains(r"\S\s+\S").any()


def _is_code(column: Column, runs: bool = False) -> bool:
    if column.kind is Kind.WHOLE:
        return names_a_key(column.name) or _numbers_rows(column)
    if column.is_text and column.meant["value"].head(200).str.contains(r"^-?\d*[.,]\d+$").any():
        return False  # measures kept as text
    if column.role != "identifier" or column.meant["value"].head(200).str.contains(_DAY).sum() * 2 > min(
        column.meant.height, 200
    ):
        return False
    some = column.meant.head(20_000)  # the shape of codes shows in some thousands of them
    return _are_of_one_shape(some, "") or (runs and _are_of_one_shape(some, "+"))


def _are_of_one_shape(values: pl.DataFrame, run: str) -> bool:
    """Whether nine of ten values have letters, digits and signs in the same places; or, by runs of them, in the
    same order, if digits and signs are among them.
    """
    shape = (
        pl.col("value").str.replace_all(rf"\p{{L}}{run}", "A").str.replace_all(rf"\d{run}", "9").alias("s")
    )
    shapes = values.select(shape, "n").group_by("s").agg(pl.col("n").sum())
    if run:
        shapes = shapes.filter(
            pl.col("s").str.contains(r"9.*[^A9\s].*9|A.*9") & ~pl.col("s").str.contains(r"\s")
        )
    return float(shapes["n"].max() or 0) >= 0.9 * float(values["n"].sum())  # type: ignore[arg-type]


def _digits(column: Column) -> np.ndarray[Any, Any]:
    """The distinct values of a code as numbers, in order."""
    values = column.counts["value"]
    if column.is_text:
        values = values.str.replace_all(r"\D", "").str.slice(0, 15).cast(pl.Int64, strict=False).drop_nulls()
    return np.sort(values.cast(pl.Float64).to_numpy())


def _regular(column: Column) -> bool:
    """Whether the values run with steps of about one size, as numbers that are given out do."""
    steps = np.diff(_digits(column))
    steps = steps[steps > 0]
    return bool(len(steps) > 10 and np.quantile(steps, 0.98) <= 3 * np.median(steps))


def _by_chance(column: Column) -> float:
    """Doubles expected of as many numbers drawn from the column's range."""
    digits = _digits(column)
    return (
        column.filled * (column.filled - 1) / 2 / max(float(digits[-1] - digits[0]) + 1, 1)
        if len(digits)
        else 0.0
    )


def _unlikely(many: int, expected: float) -> bool:
    """Whether so many come by chance in fewer than one of a hundred tables (Poisson)."""
    fewer = (
        math.exp(-expected) * sum(expected**k / math.factorial(k) for k in range(min(many, 100)))
        if expected < 100
        else 1.0
    )
    return 1 - fewer < 0.01


def two_identifiers(view: View) -> Iterator[Finding]:
    """Rows that are equal in everything but the identifier.

    Threshold: another three columns at least that agree, one of which tells things apart (see `identified`), and ten times
    as many rows as chance would make; where none tells them apart, a thousand times as many, at most 2 % of the rows.
    """
    if len(view.columns) < 4 or view.height < 10:
        return
    keys = [
        c for c in view.columns if c.filled == view.height and c.distinct >= 0.98 * c.filled and _is_code(c)
    ]
    for key in keys[:4]:
        others = [c for c in view.columns if c is not key]
        hashes = view.row_hashes - key.hashed()
        equal = set(_again(view.row_hashes).to_list())
        rows = pl.Series([row for row in _again(hashes) if row not in equal], dtype=pl.UInt32)
        if not rows.len() or rows.len() * 5 > view.height or expected_doubles(view, others) * 10 > rows.len():
            continue
        rare = rows.len() * 50 <= view.height and expected_doubles(view, others) * 1000 <= rows.len()
        if not rare and not identified(view, view.height - rows.len(), but=key):
            continue
        series = pl.Series(hashes)
        both = series.is_in(series.gather(rows).unique().implode()).arg_true()
        blanks = any(c.untidy for c in others)
        yield Finding(
            "two_identifiers",
            (key.name,),
            rows.len(),
            f"{plural(rows.len(), 'thing stands', 'things stand')} under two values of {key.name}",
            "The rows agree in everything else, so one thing is counted as two. Said where at least ten times as many rows agree as chance would make.",
            short(key.texts(key.series.gather(both.head(6)))),
            both,
            (
                Repair(
                    f"Keep the first of rows that differ in {key.name} alone",
                    (
                        step(
                            "remove_duplicates",
                            keys=[c.name for c in others],
                            **({"ignore_blanks": True} if blanks else {}),
                        ),
                    ),
                ),
            ),
            weight=64,
        )
