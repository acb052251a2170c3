"""What can be counted of a column, each count with the rule that opens just so many rows.

A number on the screen that can be clicked is counted by the rule that the click looks with, so the two agree.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import polars as pl

from updraft.core.figures.patterns import USUAL, pattern_counts
from updraft.core.steps.conditions import WEEKDAYS, Condition, Group, Rule, Test, compiled
from updraft.core.values import Kind, is_blank, kind_of

_MONTHS = 36


@dataclass(frozen=True)
class Way:
    """A count of rows and the rule that it is the number of.

    Args:
        key: which count; with a colon what of it (`month:2026-03`).
        label: in a few words, for the selection that it becomes.
    """

    key: str
    label: str
    rows: int
    rule: Rule

    def as_dict(self) -> dict[str, Any]:
        return {**asdict(self), "rule": self.rule.model_dump(mode="json")}


def ways_into(series: pl.Series) -> list[Way]:
    """The counts of a column that are worth opening; those of no row are left out, but for empty cells."""
    name, kind = series.name, kind_of(series.dtype)
    asked: list[tuple[str, str, Rule]] = [("empty", "empty", _all(Condition(column=name, test="empty")))]

    def ask(key: str, label: str, *conditions: Condition) -> None:
        asked.append((key, label, _all(*conditions)))

    def test(how: Test, value: str = "") -> Condition:
        return Condition(column=name, test=how, value=value)

    if kind is Kind.TEXT and isinstance(series.dtype, pl.String):
        ask("blank", "blanks only", test("blank"))
        if (usual := _usual_pattern(series)) is not None:
            ask("odd", "odd", test("filled"), test("not_shape", usual))
        ask("no_number", "no number", test("no_number"))
    elif kind in (Kind.WHOLE, Kind.NUMBER):
        ask("odd", "infinite or undefined", test("infinite"))
        ask("zeros", "zero", test("equals", "0"))
        ask("negatives", "negative", test("less", "0"))
        beyond = Group(match="any", of=(test("at_most", "0"), test("infinite")))
        asked.append(("not_above_0", "not above 0", Rule(match="all", of=(beyond,))))
    elif kind in (Kind.DATE, Kind.DATETIME):
        for day in WEEKDAYS:
            ask(f"weekday:{day}", day, test("weekday", day))
        months = series.drop_nulls().dt.strftime("%Y-%m").unique().sort().tail(_MONTHS)
        for month in months.to_list():
            ask(f"month:{month}", month, test("month", month))
    frame = series.to_frame()
    counts = frame.select(
        compiled(rule, frame.schema).sum().alias(str(n)) for n, (_, _, rule) in enumerate(asked)
    ).row(0)
    found = [Way(key, label, int(n), rule) for (key, label, rule), n in zip(asked, counts, strict=True)]
    return [way for way in found if way.rows or way.key == "empty"]


def _all(*conditions: Condition) -> Rule:
    return Rule(match="all", of=conditions)


def _usual_pattern(series: pl.Series) -> str | None:
    """The coarse pattern that nearly all filled cells have; None where there is none."""
    filled = series.to_frame().filter(~is_blank(series.name, series.dtype)).to_series()
    if not filled.len():
        return None
    counted = filled.alias("value").value_counts(name="n")
    found = pattern_counts(counted).sort(["n", "pattern"], descending=[True, False])
    return str(found["pattern"][0]) if int(found["n"][0]) >= USUAL * filled.len() else None
