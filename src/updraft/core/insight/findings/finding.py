"""All detectors over one table, most serious finding first."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

import polars as pl

from updraft.core.insight.findings import (
    cells,
    doubles,
    groups,
    kinds,
    meeting,
    numbers,
    placeholders,
    structure,
    writing,
)
from updraft.core.insight.findings.model import Finding, Repair, Step, step
from updraft.core.insight.findings.safe import may_be_safe
from updraft.core.insight.findings.view import View
from updraft.core.values import decide

Detector = Callable[[View], Iterable[Finding]]

# Rows that are no data are found first; the rest is looked at without them.
ROWS: tuple[Detector, ...] = (
    structure.repeated_headers,
    structure.totals,
    structure.footers,
    structure.blank_rows,
)
DETECTORS: tuple[Detector, ...] = (
    structure.blank_columns, doubles.duplicate_rows, doubles.almost_keys, doubles.two_identifiers,
    writing.stray_blanks, writing.control_characters, writing.broken_text, writing.variants, writing.look_alikes,
    placeholders.placeholders, kinds.numbers_as_text, kinds.dates_as_text, kinds.far_dates, numbers.numbers_out_of_line,
    cells.packed_cells, cells.compound_cells, cells.sparse_groups, cells.values_as_columns, groups.dependencies,
    meeting.keys_that_miss,
)  # fmt: skip

# Every code a finding can have, with what it is called in short.
CODES: dict[str, str] = {
    "misplaced_header": "header out of place",
    "repeated_header": "header repeated",
    "totals": "totals",
    "footer_lines": "titles and footers",
    "blank_rows": "blank rows",
    "blank_columns": "blank columns",
    "duplicate_rows": "duplicate rows",
    "almost_key": "almost a key",
    "two_identifiers": "one thing, two identifiers",
    "stray_blanks": "stray blanks",
    "control_characters": "control characters",
    "broken_text": "broken text",
    "variants": "case, accents, punctuation",
    "look_alikes": "look-alikes",
    "placeholders": "placeholders for empty",
    "numbers_as_text": "numbers as text",
    "number_writing": "dressed numbers",
    "units_in_cells": "units in cells",
    "dates_as_text": "dates as text",
    "date_forms": "several date forms",
    "date_order_open": "day or month first",
    "far_dates": "dates far off",
    "negatives": "negatives",
    "zeros": "zeros",
    "outliers": "outliers",
    "mixed_units": "mixed units",
    "several_values": "several values in a cell",
    "compound_cells": "compound cells",
    "fill_down": "to be filled down",
    "values_as_columns": "values as columns",
    "broken_dependency": "broken dependency",
    "agreed_gaps": "gaps the group agrees on",
    "keys_that_miss": "keys that miss",
}


def find(
    table: pl.DataFrame,
    others: Mapping[str, pl.DataFrame] | None = None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[Finding]:
    """What looks wrong in a table, the most serious first.

    Args:
        table: the whole table; it is looked at, never changed.
        others: other tables of the flow by name, for keys that should meet there.
        stopped: asked between detectors; once true, what was found so far is given.
    """
    view = View(table, dict(others or {}))
    if not view.height or not view.columns:
        return []
    found = list(structure.misplaced_header(view))
    if found:  # until the columns have their names, all else would be noise
        return [replace(finding, open=True) for finding in found]
    found = _told_once([finding for detector in ROWS for finding in detector(view)])
    below = _without_rows(view, found)
    for detector in DETECTORS:
        if stopped():
            break
        found += [below.seen_from_above(finding) for finding in detector(below.view)]
    told = (
        replace(f, open=bool(f.repairs) and not may_be_safe(f)) for f in _without_echoes(found, table.columns)
    )
    return sorted(told, key=lambda f: (-f.weight, f.columns, f.code))


@dataclass(frozen=True)
class _Below:
    """The table without the rows that are no data, and the way back to the whole one."""

    view: View
    kept: pl.Series | None = None
    first: tuple[Step, ...] = ()
    decided: dict[str, Step] = field(default_factory=dict)

    def seen_from_above(self, finding: Finding) -> Finding:
        """The finding with rows of the whole table; where it rests on a column's kind below, its repairs drop those rows first."""
        if self.kept is None:
            return finding
        rows = self.kept.gather(finding.rows)
        steps = [self.decided[name] for name in finding.columns if name in self.decided]
        if not steps:
            return replace(finding, rows=rows)
        return replace(
            finding,
            rows=rows,
            rule=None,
            repairs=tuple(Repair(r.sentence, (*self.first, *steps, *r.steps)) for r in finding.repairs),
        )


def _without_rows(view: View, found: list[Finding]) -> _Below:
    told = [finding.rows.cast(pl.UInt32) for finding in found if finding.repairs]
    if not told:
        return _Below(view)
    gone = pl.concat(told).unique().sort()
    kept = pl.int_range(view.height, dtype=pl.UInt32, eager=True)
    kept = kept.filter(~kept.is_in(gone.implode()))
    reduced = view.frame[kept]
    texts = [name for name, dtype in reduced.schema.items() if isinstance(dtype, pl.String)]
    fresh, decisions = decide(reduced.select(texts))
    changed = {
        d.column: step(
            "set_kinds",
            columns=[{"column": d.column, "kind": d.kind.value, "formats": [d.format] if d.format else []}],
        )
        for d in decisions
        if fresh.schema[d.column] != reduced.schema[d.column]
    }
    reduced = reduced.with_columns(fresh.select(list(changed)))
    return _Below(
        view.less(gone, reduced),
        kept,
        tuple(s for f in found if f.repairs for s in f.repairs[0].steps),
        changed,
    )


def _told_once(found: list[Finding]) -> list[Finding]:
    """Findings of rows without those whose rows another one has told."""
    told: list[pl.Series] = []
    once = []
    for finding in found:
        if not told or not bool(finding.rows.is_in(pl.concat(told).implode()).all()):
            once.append(finding)
            told.append(finding.rows)
    return once


# Findings of the first code explain those of the others that lie in the same column (or anywhere) and rows.
_ECHOES: dict[str, tuple[str, ...]] = {
    "duplicate_rows": ("almost_key",),
    "control_characters": ("variants", "look_alikes", "broken_dependency"),
    "variants": ("broken_dependency", "keys_that_miss", "look_alikes"), "look_alikes": ("broken_dependency", "keys_that_miss"),
    "stray_blanks": ("broken_dependency", "keys_that_miss"),
    "broken_text": ("look_alikes", "broken_dependency", "variants", "keys_that_miss"),
    "placeholders": ("outliers", "mixed_units", "look_alikes", "negatives", "broken_dependency", "far_dates", "numbers_as_text", "dates_as_text", "agreed_gaps"),
    "fill_down": ("agreed_gaps",), "several_values": ("look_alikes", "broken_dependency", "compound_cells", "variants"),
    "compound_cells": ("look_alikes", "broken_dependency", "several_values"),
}  # fmt: skip


def _without_echoes(found: list[Finding], names: list[str]) -> Iterator[Finding]:
    """Leave out what another finding explains: at least nine tenths of its rows are in that one."""
    place = {name: n for n, name in enumerate(names)}
    for finding in found:
        causes = [
            f
            for f in found
            if finding.code in _ECHOES.get(f.code, ())
            and f is not finding
            and (f.code == "duplicate_rows" or set(f.columns) & set(finding.columns))
        ]
        # Two rows that share one key and differ in another: the key that stands further left is the one that counts.
        keys = {"almost_key": "two_identifiers", "two_identifiers": "almost_key"}.get(finding.code)
        causes += [f for f in found if f.code == keys and place[f.columns[0]] < place[finding.columns[0]]]
        if causes and finding.rows.len() and finding.rows.len() <= 2_000_000:
            explained = pl.concat([cause.rows.cast(pl.UInt32) for cause in causes]).unique()
            if (
                int(finding.rows.cast(pl.UInt32).is_in(explained.implode()).sum()) * 10
                >= finding.rows.len() * 9
            ):
                continue
        yield finding
