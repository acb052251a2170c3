"""4: text that is mostly numbers, and the ways in which these are written."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, Step, plural, recode, short, step, where
from updraft.core.insight.findings.number_forms import (
    are_longer_codes,
    currencies_in,
    forms_of,
    is_code,
    is_undecided,
    is_unit,
    letters_for_digits,
    reasons_for,
    telling,
    without_rare_units,
)
from updraft.core.insight.findings.view import Column, View
from updraft.core.values import Kind, converted
from updraft.core.values.dressed import CURRENCY, UNITS, undressed

_SHARE = 0.8  # of the filled cells, placeholders left out, that must read as numbers
_LEAST = 5


def numbers_as_text(view: View) -> Iterator[Finding]:
    """Text columns of which at least 80 % of the cells, and five, read as numbers, perhaps dressed.

    Left alone: columns with a leading zero or a plus sign, or more than fifteen digits (codes), units that are none, and
    lists of numbers with commas between. Letters that stand for digits (O, l) are mended first. Where cells would become
    empty, or units are brought together, a person decides.
    """
    for column in view.texts:
        if column.meant.height and _looks_numeric(column):
            yield from _numbers(column)


_NUMERIC = (
    rf"^[^\p{{L}}\d]*(?:\p{{Lu}}{{3}}\s?|{CURRENCY}\.?\s?)?\d[\d.,'’\s\u{{a0}}\u{{202f}}]*[^\d]{{0,10}}$"
)


def _looks_numeric(column: Column) -> bool:
    """A cheap look at the most frequent values, before all are read."""
    first = column.meant["value"].head(200)
    return bool(first.str.contains(_NUMERIC).sum() >= 0.6 * first.len())


def _numbers(column: Column) -> Iterator[Finding]:
    number, negative, unit = undressed(pl.col("value"))
    values = column.meant.with_columns(number.alias("bare"), negative.alias("minus"), unit.alias("unit"))
    values = values.with_columns(pl.when(is_unit(values)).then("bare").alias("bare"))
    forms = forms_of(values)
    reads = values.with_columns(
        converted("bare", pl.String(), Kind.NUMBER, forms).is_not_null().alias("reads")
    )
    reads = without_rare_units(reads)
    good, rest = reads.filter("reads"), reads.filter(~pl.col("reads"))
    many, all_ = int(good["n"].sum()), int(values["n"].sum())
    if many < _LEAST or many < _SHARE * all_ or is_code(good) or are_longer_codes(rest):
        return
    mended = letters_for_digits(rest["value"], forms)
    undecided = forms == ["1,234.5", "1.234,5"] and is_undecided(good)
    reasons = reasons_for(good, forms)
    units = (
        good.filter(~pl.col("unit").is_in(["", "%"]))
        .group_by("unit")
        .agg(written=_SPELT.sort_by("n", descending=True).first(), n=pl.col("n").sum())
        .sort("n", descending=True)
    )
    if not rest.height and not reasons and not undecided and column.words.height > column.meant.height:
        return  # only placeholders keep it from being numbers, and these are told as such
    if not rest.height and not reasons and not undecided:
        reasons = ["stored as text"]
    if currencies_in(good) > 1:
        return  # told as several currencies
    factors = _factors(column.name, units, good)
    several = units["unit"].replace_strict({u: m for u, (m, _) in UNITS.items()}, default="?").n_unique() > 1
    code = (
        "units_in_cells"
        if units.height
        else "numbers_as_text"
        if rest.height or reasons == ["stored as text"]
        else "number_writing"
    )
    odd = int(rest["n"].sum())
    odd_rows = column.rows_meaning(rest["value"].to_list())
    said = " and ".join(reasons)
    sentence = (
        f"{column.name} is text, but {plural(many, 'cell is a number', 'cells are numbers')}"
        + (f" ({said})" if said else "")
        + (f"; {plural(odd, 'is', 'are')} not" if odd else "")
    )
    if units.height:
        told = units.head(4).select("unit", "written").iter_rows()
        listed = ", ".join(unit if unit in UNITS else written for unit, written in told)
        sentence = f"Units stand in the cells of {column.name}: {listed}" + (
            f"; {plural(odd, 'cell is', 'cells are')} no number" if odd else ""
        )
    elif code == "number_writing":
        sentence = f"The numbers of {column.name} are written with {said}"
    why = (
        "Text cannot be added up, sorts 10 before 9, and joins with no number. Said where at least 80 % of the filled cells, and five, read "
        "as numbers; digits with leading zeros are codes and left alone."
    )
    emptied = int(rest.filter(~pl.col("value").is_in(list(mended)))["n"].sum())
    repairs = [
        _to_numbers(column, good, order, factors, units, emptied, mended)
        for order in ([["1,234.5"], ["1.234,5"]] if undecided else [forms])
    ]
    if several:  # grams and litres have no unit in common
        repairs.insert(0, _apart(column.name))
    if undecided:
        sentence += "; whether “,” divides thousands or decimals is left open by all values"
    yield Finding(
        code,
        (column.name,),
        odd or int(column.filled),
        sentence,
        why,
        short(rest["value"] if rest.height else telling(good)),
        odd_rows if odd else (~column.blank).arg_true(),
        tuple(repairs),
        where(column.name, "one_of", values=rest["value"].to_list())
        if 0 < rest.height <= 50
        else where(column.name, "filled")
        if not odd
        else None,
        open=undecided or bool(odd) or bool(units.height),
        weight=80 if odd else 76,
    )


_SPELT = pl.col("value").str.replace(r"^.*\d", "").str.strip_chars(" .\u00a0")  # a unit as it is written


def mixed_currencies(view: View) -> Iterator[Finding]:
    """Amounts in more than one currency in one column: 80 % of the cells, and five, are numbers, and two currencies stand there."""
    for column in view.texts:
        if not column.meant.height or not _looks_numeric(column):
            continue
        values = column.meant.with_columns(undressed(pl.col("value"))[0].alias("bare"))
        good = values.filter(pl.col("bare").is_not_null())
        if int(good["n"].sum()) < max(_LEAST, _SHARE * int(values["n"].sum())) or currencies_in(good) < 2:
            continue
        signs = good.select(pl.col("value").str.extract(f"({CURRENCY})").alias("sign"), "n").drop_nulls()
        told = signs.group_by("sign").agg(pl.col("n").sum()).sort("n", "sign", descending=[True, False])
        taken = set(view.frame.columns)
        name = next(
            n
            for n in (f"{column.name} currency", f"Currency of {column.name}", "Currency sign")
            if n not in taken
        )
        forms = forms_of(good)
        yield Finding(
            "mixed_currencies",
            (column.name,),
            int(signs["n"].sum()) - int(told["n"][0]),
            f"{column.name} has amounts in {told.height} currencies: {', '.join(told['sign'].head(4))}",
            "Added up as bare numbers they mean nothing. Said where two currencies stand in cells that are numbers. The currency is kept "
            "in a column of its own.",
            short(telling(good)),
            column.rows_meaning(good.filter(pl.col("value").str.contains(CURRENCY))["value"].to_list()),
            (
                Repair(
                    f"Take the currency into a column {name}, and set {column.name} to number",
                    (
                        step(
                            "extract_text",
                            column=column.name,
                            what="pattern",
                            pattern=f"({CURRENCY})",
                            into=name,
                        ),
                        step(
                            "set_types",
                            columns=[
                                {"column": column.name, "type": "number", "formats": forms, "dressed": True}
                            ],
                        ),
                    ),
                ),
            ),
            where(column.name, "matches", value=CURRENCY),
            weight=79,
        )


def _apart(name: str) -> Repair:
    return Repair(
        f"Take number and unit of {name} apart, each as it stands",
        (step("number_and_unit", column=name, number=f"{name} number", unit=f"{name} unit"),),
    )


def _factors(name: str, units: pl.DataFrame, good: pl.DataFrame) -> dict[str, float]:
    """Unit → factor that brings it to the one meant by bare numbers; units of another measure keep 1.

    Bare numbers are of the unit that the name of the column says (“Weight (g)”); without that, of the one in which numbers
    with a unit lie nearest to them; where all have one, of the most frequent.
    """
    if not units.height:
        return {}
    known = [unit for unit in units["unit"] if unit in UNITS]
    base = units["unit"][0]
    named = next((u for u in UNITS if re.search(rf"[\W_]{re.escape(u)}\W*$", name.lower())), None)
    bare = good.filter(pl.col("unit") == "")
    if named and known and UNITS[named][0] == UNITS[known[0]][0]:
        measure, size = UNITS[named]
    else:
        measure, size = UNITS.get(base, (base, 1.0))
        if known and base in known and int(bare["n"].sum()) > int(units["n"].sum()):
            size = _unit_of_bare(bare, good.filter(pl.col("unit") == base), measure, size)
    return {
        unit: UNITS[unit][1] / size if UNITS.get(unit, ("", 1))[0] == measure else 1.0
        for unit in units["unit"]
    }


def _unit_of_bare(bare: pl.DataFrame, marked: pl.DataFrame, measure: str, size: float) -> float:
    """The size of the unit in which the marked numbers lie nearest to the bare ones (by the logarithm of their medians)."""
    middles = [
        float(part["bare"].str.replace_all(r"[^\d.]", "").cast(pl.Float64, strict=False).median() or 0)  # type: ignore[arg-type]
        for part in (bare, marked)
    ]
    if min(middles) <= 0:
        return size
    sizes = {own for what, own in UNITS.values() if what == measure}
    return min(sizes, key=lambda own: (abs(math.log(middles[1] * size / own / middles[0])), own != size))


def _to_numbers(
    column: Column,
    good: pl.DataFrame,
    forms: list[str],
    factors: dict[str, float],
    units: pl.DataFrame,
    odd: int,
    mended: dict[str, str],
) -> Repair:
    dressed = bool(factors) or bool((good["value"] != good["bare"]).any())
    read = (
        good.select(
            converted("value", pl.String(), Kind.NUMBER, forms, factors if dressed else None).alias("x")
        )
        .to_series()
        .drop_nulls()
    )
    whole = bool((read == read.floor()).all()) and read.len() > 0
    setting: dict[str, object] = {"column": column.name, "type": "whole" if whole else "number"}
    if forms != ["1,234.5"] or good["bare"].str.contains("[,.]" if whole else ",").any() or dressed or mended:
        setting["formats"] = forms
    if dressed:
        setting["dressed"] = True
    if factors:
        setting["units"] = [{"unit": unit, "times": times} for unit, times in factors.items()]
    base = next((unit for unit, times in factors.items() if times == 1), "")
    into = f" in {base}" if units.height and base else ""
    how = (
        {"1.234,5": "“,” before decimals"}.get(
            forms[0], "“.” before decimals" if forms[0] != "1 234,5" else ""
        )
        if len(forms) == 1 and not whole
        else ""
    )
    left = f"; {plural(odd, 'odd cell becomes', 'odd cells become')} empty" if odd else ""
    first: tuple[Step, ...] = (recode(column.name, mended),) if mended else ()
    if mended:
        left = f" after letters are made digits in {plural(len(mended), 'value', 'values')}" + left
    return Repair(
        f"Set {column.name} to {'whole number' if whole else 'number'}{into}{f', {how}' if how else ''}{left}",
        (*first, step("set_types", columns=[setting])),
    )
