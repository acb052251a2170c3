"""Focus: the rows looked at for the moment. Selections combine, and can become rules for steps."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel, ConfigDict

from updraft.core.problems import Problem
from updraft.core.steps.conditions import Condition, Group, Rule, compiled


class Chip(BaseModel):
    """One selection: conditions on a column of which any may hold, or any rule, or rows by number.

    `finding` names a finding whose rows are meant, where no rule holds in just them; whoever uses the focus
    knows them.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    label: str
    column: str = ""
    conditions: tuple[Condition, ...] = ()
    rule: Rule | None = None
    finding: str = ""


class Focus(BaseModel):
    """Selections that must all hold; those of one column count as one, of which any may hold. `search` looks
    in all columns.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    chips: tuple[Chip, ...] = ()
    search: str = ""

    def without(self, column: str) -> Focus:
        """The focus less the selections in a column, for the counts that this column's own list shows."""
        return self.model_copy(
            update={"chips": tuple(c for c in self.chips if c.column != column or c.finding)}
        )

    @property
    def nothing(self) -> bool:
        return not self.chips and not self.search

    def findings(self) -> list[str]:
        return [chip.finding for chip in self.chips if chip.finding]

    def rule(self, schema: pl.Schema) -> Rule:
        """The focus as one rule, for a step that is to hold next month too.

        Raises:
            Problem: rows were chosen by their numbers alone, or conditions nest deeper than a rule can.
        """
        if self.findings():
            raise Problem(
                "This selection",
                "it holds rows by their place, and no rule tells them from others.",
                "Take the repair of the finding, or choose the rows by their values.",
                code="no_rule",
            )
        parts: list[Condition | Group] = []
        for column in dict.fromkeys(chip.column for chip in self.chips if chip.conditions):
            any_ = [c for chip in self.chips if chip.column == column for c in chip.conditions]
            parts.append(any_[0] if len(any_) == 1 else Group(match="any", of=tuple(any_)))
        rules = [chip.rule for chip in self.chips if chip.rule is not None]
        for rule in rules:
            if rule.match == "any" and all(isinstance(item, Condition) for item in rule.of):
                parts.append(
                    Group(match="any", of=tuple(item for item in rule.of if isinstance(item, Condition)))
                )
            elif rule.match == "all":
                parts += rule.of
            elif len(rules) == 1 and not parts and not self.search:
                return rule
            else:
                raise Problem(
                    "This selection",
                    "its conditions nest deeper than a rule can.",
                    "Take away a selection.",
                    code="no_rule",
                )
        if self.search:
            parts.append(
                Group(match="any", of=tuple(_contains(name, self.search) for name in _searched(schema)))
            )
        return Rule(match="all", of=tuple(parts))

    def rows(
        self, table: pl.DataFrame | pl.LazyFrame, found: dict[str, pl.Series] | None = None
    ) -> pl.Series:
        """Numbers of the rows in focus, in order.

        Args:
            found: the rows of the findings that are meant, by key.

        Raises:
            Problem: a condition does not fit the table.
        """
        lazy = table.lazy()
        schema = lazy.collect_schema()
        by_rule = self.model_copy(update={"chips": tuple(c for c in self.chips if not c.finding)})
        if by_rule.nothing:
            height = int(lazy.select(pl.len()).collect().item())
            rows = pl.int_range(height, dtype=pl.UInt32, eager=True)
        else:
            rows = (
                lazy.select(compiled(by_rule.rule(schema), schema).alias("here"))
                .collect()
                .to_series()
                .arg_true()
                .cast(pl.UInt32)
            )
        for key in self.findings():
            meant = (found or {}).get(key)
            if meant is None:
                raise Problem(
                    "This selection",
                    "the finding it comes from is not there any more.",
                    "Take it away.",
                    code="no_finding",
                )
            rows = rows.filter(rows.is_in(meant.cast(pl.UInt32).implode()))
        return rows


def _contains(column: str, text: str) -> Condition:
    return Condition(column=column, test="contains", value=text, ignore_case=True)


def _searched(schema: pl.Schema) -> list[str]:
    return [name for name, dtype in schema.items() if not dtype.is_nested()]
