"""Take repairs: apply their steps to a table, one finding after another, and say what was done."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import polars as pl
from pydantic import ValidationError

from updraft.core.engine.door import Door
from updraft.core.engine.files import Files
from updraft.core.engine.table import Table, compute
from updraft.core.insight.findings.finding import ROW_CODES, Look
from updraft.core.insight.findings.model import Finding, Repair, plural
from updraft.core.insight.findings.safe import harm_done
from updraft.core.problems import Problem
from updraft.core.steps import Tables, kinds

_ROUNDS = 120
NOTHING = "nothing to see changed"


@dataclass(frozen=True)
class Refused:
    """A repair that could have been taken without a choice and was not: the finding, and the reason in words."""

    finding: Finding
    reason: str


class Mended(NamedTuple):
    """The repaired table, what was done in order, the findings that are left, and the repairs that were refused."""

    table: pl.DataFrame
    done: list[Repaired]
    left: list[Finding]
    refused: list[Refused]


@dataclass(frozen=True)
class Repaired:
    """What a repair did: the finding, the repair taken, and its effect in words."""

    finding: Finding
    repair: Repair
    effect: str


def apply_repair(table: pl.DataFrame, repair: Repair) -> tuple[pl.DataFrame, str]:
    """The table after a repair, and what changed in words.

    Raises:
        Problem: a step of the repair does not fit the table.
    """
    door = Door(Files(Path()), "repair")
    before, cells = table, 0
    for step in repair.steps:
        kind = kinds()[step["kind"]]
        try:
            settings = kind.Settings.model_validate(step["settings"])
        except ValidationError as error:
            raise Problem(
                repair.sentence,
                f"its settings do not fit ({error.errors()[0]['msg']}).",
                "Add the step by hand.",
            ) from None
        done: Table = compute(kind, settings, Tables.of(table.lazy()), door)
        cells += sum(done.changed.values())
        frame = done.frames[""]
        table = frame if isinstance(frame, pl.DataFrame) else frame.lazy().collect()
    return table, _effect(before, table, cells)


def _effect(before: pl.DataFrame, after: pl.DataFrame, cells: int) -> str:
    rows, columns = after.height - before.height, after.width - before.width
    renamed = 0 if columns else sum(a != b for a, b in zip(before.columns, after.columns, strict=True))
    said = []
    if rows:
        said.append(f"{plural(abs(rows), 'row', 'rows')} {'more' if rows > 0 else 'fewer'}")
    if columns:
        said.append(f"{plural(abs(columns), 'column', 'columns')} {'more' if columns > 0 else 'fewer'}")
    if renamed:
        said.append(f"{plural(renamed, 'column', 'columns')} renamed")
    if cells:
        said.append(f"{plural(cells, 'cell', 'cells')} changed")
    return ", ".join(said) or NOTHING


def repair_all(
    table: pl.DataFrame,
    others: Mapping[str, pl.DataFrame] | None = None,
    skip: frozenset[str] = frozenset(),
    *,
    open_too: bool = False,
) -> Mended:
    """Take the first repair of every finding that cannot harm, the most serious first.

    What changes nothing but columns of its own is taken from one look; the next one looks at what changed. Only where rows
    or columns came or went all is looked at again.

    What a person decides is left; so is a finding that comes back after its repair, one whose repair turned out to lose
    something, and those whose key is in `skip`.

    Args:
        open_too: take the first repair of open findings as well, as a person who agrees with all of them would.

    """
    done: list[Repaired] = []
    refused: list[Refused] = []
    tried: set[tuple[str, tuple[str, ...]]] = set()
    look = Look(table, dict(others or {}))
    for _ in range(_ROUNDS):
        before, table = table, _round(table, look.findings, (done, refused), tried, skip, open_too)
        if table is before:
            break
        changed = frozenset(name for name in table.columns if not _unchanged(before, table, name))
        # In the same rows, what did not change need not be looked at again.
        same = set(table.columns) <= set(before.columns) and before.height == table.height
        rows = any(f.code in ROW_CODES for f in look.findings)  # columns are judged without such rows
        look = Look(table, dict(others or {}), after=look if same and not rows else None, changed=changed)
    return Mended(table, done, look.findings, refused)


def _round(
    table: pl.DataFrame,
    found: Sequence[Finding],
    told: tuple[list[Repaired], list[Refused]],
    tried: set[tuple[str, tuple[str, ...]]],
    skip: frozenset[str],
    open_too: bool,
) -> pl.DataFrame:
    """Take the repairs of one look, as long as they do not touch the same columns and no row or column came or went."""
    done, refused = told
    touched: set[str] = set()
    for finding in found:
        key = (finding.code, finding.columns)
        if not finding.repairs or (finding.open and not open_too) or finding.key in skip or key in tried:
            continue
        if touched and (not finding.columns or touched & set(finding.columns)):
            continue  # it was found in what has changed since
        tried.add(key)
        try:
            mended, effect = apply_repair(table, finding.repairs[0])
        except Problem as problem:
            refused.append(Refused(finding, str(problem)))
            continue
        if effect == NOTHING:
            refused.append(Refused(finding, "it changes nothing here"))
            continue
        if not open_too and (harm := harm_done(finding, table, mended)):
            refused.append(Refused(finding, harm))
            continue
        shape = table.height, table.columns
        table = mended
        done.append(Repaired(finding, finding.repairs[0], effect))
        touched |= set(finding.columns)
        if shape != (table.height, table.columns):
            break
    return table


def _unchanged(before: pl.DataFrame, after: pl.DataFrame, name: str) -> bool:
    if name not in before.columns or before.schema[name] != after.schema[name]:
        return False
    return before.height == after.height and before[name].equals(after[name], null_equal=True)
