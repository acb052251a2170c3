"""All detectors over one table, most serious finding first."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

import polars as pl

from updraft.core.insight.findings import (
    alike_rows,
    alphabets,
    cells,
    codes,
    contents,
    coordinates,
    date_text,
    doubles,
    groups,
    legal_forms,
    meeting,
    near_rows,
    number_text,
    numbers,
    one_country,
    pair_keys,
    placeholders,
    places,
    repeats,
    series,
    structure,
    sums,
    swapped_columns,
    totals,
    writing,
)
from updraft.core.insight.findings.model import Finding, Repair, Step, step
from updraft.core.insight.findings.safe import may_be_safe
from updraft.core.insight.findings.view import View
from updraft.core.values import decide

_FIRST_WORD, _NEXT_WORD = 0.4, 1.5  # seconds until what was found so far is told, and told anew
Detector = Callable[[View], Iterable[Finding]]

# Rows that are no data are found first; the rest is looked at without them.
ROWS: tuple[Detector, ...] = (
    structure.repeated_headers,
    places.second_header,
    totals.totals,
    places.summary_rows,
    totals.footers,
    structure.blank_rows,
)
ROW_CODES = frozenset({
    "repeated_header", "second_header", "totals", "summary_rows", "footer_lines", "blank_rows", "misplaced_header",
})  # fmt: skip
# Each looks at one column after another; what is done to a column says nothing of the next.
OWN: tuple[Detector, ...] = (
    writing.stray_blanks, writing.control_characters, writing.broken_text, writing.variants, writing.look_alikes,
    legal_forms.legal_forms, one_country.one_country, alphabets.two_alphabets, codes.code_spellings, codes.short_words,
    placeholders.placeholders, number_text.numbers_as_text, number_text.mixed_currencies,
    date_text.dates_as_text, date_text.dates_as_numbers, date_text.far_dates, numbers.numbers_out_of_line,
    cells.packed_cells, cells.compound_cells, contents.html_entities, contents.yes_no_words, contents.json_cells,
    contents.odd_shapes, contents.lost_zeros, contents.impossible_values, series.date_gaps,
)  # fmt: skip
# Detectors that look at several columns at once, and what they say.
_SAID_ACROSS: dict[Detector, tuple[str, ...]] = {
    structure.blank_columns: ("blank_columns",), doubles.duplicate_rows: ("duplicate_rows",),
    doubles.almost_keys: ("almost_key",), doubles.two_identifiers: ("two_identifiers",),
    cells.sparse_groups: ("fill_down",), cells.values_as_columns: ("values_as_columns",),
    groups.dependencies: ("broken_dependency", "agreed_gaps"), meeting.keys_that_miss: ("keys_that_miss",),
    coordinates.turned_coordinates: ("turned_coordinates",), places.swapped_cells: ("swapped_cells",), places.shifted_cells: ("shifted_cells",),
    near_rows.near_duplicates: ("near_duplicates",), series.start_after_end: ("start_after_end",),
    sums.sums_that_miss: ("sums_that_miss",), repeats.constant_columns: ("constant_columns",),
    repeats.identical_columns: ("identical_columns",), alike_rows.alike_rows: ("alike_rows",),
    pair_keys.almost_pair_keys: ("almost_key",), swapped_columns.swapped_columns: ("swapped_columns",),
}  # fmt: skip
ACROSS: tuple[Detector, ...] = tuple(_SAID_ACROSS)

# Every code a finding can have, with what it is called in short.
CODES: dict[str, str] = {
    "misplaced_header": "header out of place",
    "repeated_header": "header repeated",
    "totals": "totals",
    "second_header": "header that goes on",
    "summary_rows": "summaries",
    "footer_lines": "titles and footers",
    "blank_rows": "blank rows",
    "blank_columns": "blank columns",
    "duplicate_rows": "duplicate rows",
    "almost_key": "almost a key",
    "near_duplicates": "rows nearly the same",
    "alike_rows": "one thing entered twice",
    "two_identifiers": "one thing, two identifiers",
    "stray_blanks": "stray blanks",
    "control_characters": "control characters",
    "broken_text": "broken text",
    "two_alphabets": "two alphabets in a word",
    "variants": "case, accents, punctuation",
    "look_alikes": "look-alikes",
    "legal_forms": "with and without Ltd",
    "one_country": "one country, several names",
    "placeholders": "placeholders for empty",
    "numbers_as_text": "numbers as text",
    "number_writing": "dressed numbers",
    "units_in_cells": "units in cells",
    "mixed_currencies": "several currencies",
    "dates_as_text": "dates as text",
    "date_forms": "several date forms",
    "date_order_open": "day or month first",
    "far_dates": "dates far off",
    "turned_coordinates": "coordinates turned round",
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
    "swapped_cells": "swapped cells",
    "swapped_columns": "swapped columns",
    "shifted_cells": "shifted cells",
    "html_entities": "entities of HTML",
    "yes_no_words": "yes and no in several words",
    "json_cells": "JSON in cells",
    "odd_shapes": "addresses that are none",
    "impossible_values": "impossible values",
    "start_after_end": "start after end",
    "date_gaps": "gaps and repeats of days",
    "sums_that_miss": "sums that miss",
    "constant_columns": "columns of one value",
    "identical_columns": "columns twice",
    "keys_that_miss": "keys that miss",
}


def find(
    table: pl.DataFrame,
    others: Mapping[str, pl.DataFrame] | None = None,
    stopped: Callable[[], bool] = lambda: False,
    told: Callable[[list[Finding]], None] | None = None,
) -> list[Finding]:
    """What looks wrong in a table, the most serious first.

    Args:
        table: the whole table; it is looked at, never changed.
        others: other tables of the flow by name, for keys that should meet there.
        stopped: asked between detectors; once true, what was found so far is given.
        told: given what was found so far, every now and then; a finding that another one explains, found
            later, is not among the last.
    """
    return Look(table, dict(others or {}), stopped, told=told).findings


class Look:
    """One look at a table, and what it found; a second one after some columns changed does not begin from nothing.

    Args:
        after: an earlier look at the same rows.
        changed: the columns that are not what they were at that look.
    """

    def __init__(
        self,
        table: pl.DataFrame,
        others: dict[str, pl.DataFrame],
        stopped: Callable[[], bool] = lambda: False,
        after: Look | None = None,
        changed: frozenset[str] = frozenset(),
        told: Callable[[list[Finding]], None] | None = None,
    ) -> None:
        known: View | None = after.view if after is not None and after.view.height == table.height else None
        self.view: View = View(table, others, known=known, changed=changed)
        self.findings: list[Finding] = (
            _looked(self.view, stopped, told)
            if known is None or after is None
            else _again(self.view, after.findings, changed, stopped)
        )


def _looked(
    view: View, stopped: Callable[[], bool], told: Callable[[list[Finding]], None] | None
) -> list[Finding]:
    if not view.height or not view.columns:
        return []
    next_word = time.monotonic() + _FIRST_WORD
    found = list(structure.misplaced_header(view))
    if found:  # until the columns have their names, all else would be noise
        return [replace(finding, open=True) for finding in found]
    found = _told_once([finding for detector in ROWS for finding in detector(view)])
    below = _without_rows(view, found)
    many = 0

    def tell() -> None:
        nonlocal many, next_word
        if told and len(found) > many and time.monotonic() > next_word:
            told(_told(found, view))
            many, next_word = len(found), time.monotonic() + _NEXT_WORD

    for detector in (*OWN, *ACROSS):
        if stopped():
            break
        for finding in detector(below.view):  # one column after another: what is found of the first is told
            found.append(below.seen_from_above(finding))
            tell()
        tell()
    return _told(found, view)


def _again(
    view: View, before: list[Finding], changed: frozenset[str], stopped: Callable[[], bool]
) -> list[Finding]:
    """What is to be said after some columns changed: the others are as they were, and so are the rows."""
    across = {code for codes in _SAID_ACROSS.values() for code in codes}
    found = [f for f in before if f.code not in across and not changed & set(f.columns)]
    some = view.only(changed)
    for detector in (*OWN, *ACROSS):
        if stopped():
            break
        found += detector(some if detector in OWN else view)
    return _told(found, view)


def _told(found: list[Finding], view: View) -> list[Finding]:
    told = (
        replace(f, open=bool(f.repairs) and not may_be_safe(f))
        for f in _without_echoes(found, view.frame.columns)
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
            "set_types",
            columns=[{"column": d.column, "type": d.kind.value, "formats": [d.format] if d.format else []}],
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


# Findings of the first code explain those of the others that lie in the same column (or in none) and rows.
_ECHOES: dict[str, tuple[str, ...]] = {
    "duplicate_rows": ("almost_key", "near_duplicates", "date_gaps"),
    "shifted_cells": ("swapped_cells", "numbers_as_text", "variants", "look_alikes"),
    "swapped_cells": ("numbers_as_text",),
    "units_in_cells": ("compound_cells",), "number_writing": ("compound_cells",), "numbers_as_text": ("compound_cells",),
    "near_duplicates": ("almost_key", "alike_rows", "two_identifiers", "look_alikes", "date_gaps"),
    "alike_rows": ("two_identifiers",), "impossible_values": ("outliers",), "turned_coordinates": ("outliers", "impossible_values", "negatives"), "far_dates": ("date_gaps",),
    "control_characters": ("variants", "look_alikes", "broken_dependency"),
    "variants": ("broken_dependency", "keys_that_miss", "look_alikes"), "look_alikes": ("broken_dependency", "keys_that_miss", "legal_forms"),
    "legal_forms": ("broken_dependency", "keys_that_miss"),
    "one_country": ("broken_dependency", "keys_that_miss", "look_alikes"),
    "two_alphabets": ("variants", "look_alikes", "broken_dependency", "keys_that_miss", "code_spellings", "numbers_as_text"),
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
            and (not f.columns or not finding.columns or set(f.columns) & set(finding.columns))
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
