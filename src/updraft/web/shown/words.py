"""Short texts for the studio, made from tables and plans."""

from __future__ import annotations

from collections.abc import Mapping
from string import digits

from updraft.core import Table
from updraft.core.engine import PlannedStep


def change(table: Table, other_rows: bool = False) -> str:
    """What a step did to the table, in a word or two: rows gone, cells changed, columns brought.

    Args:
        other_rows: its rows stand for other things than those that came in: none of these is gone.
    """
    parts = []
    difference = table.height - (table.height if table.rows_in is None else table.rows_in)
    if difference and table.touched is None and not other_rows:
        parts.append(f"{difference:+,} {'row' if abs(difference) == 1 else 'rows'}".replace("-", "−"))
    cells = sum(table.changed.values())
    if cells:
        parts.append(f"{cells:,} {'cell' if cells == 1 else 'cells'}")
    if table.brought:
        many = len(table.brought)
        parts.append(f"+{many} {'column' if many == 1 else 'columns'}")
    return ", ".join(parts)


def aside(sides: Mapping[str, int]) -> str:
    """How many rows a step put aside, by the first of its side outputs that has any: `12 unmatched`."""
    for name, rows in sides.items():
        if rows:
            return f"{rows:,} {name.rstrip(digits).replace('_other', ' there').replace('_', ' ')}"
    return ""


def sample_said(source: PlannedStep, rows: int | None) -> str:
    """What a sample is of: `1 row in 10 of “orders.csv” (about 10,000,000)`.

    Args:
        rows: of the sample, where they are known.
    """
    assert source.kind is not None and source.settings is not None
    name = source.kind.files(source.settings)[0].rsplit("/", 1)[-1]
    every = 1 / source.share
    said = f"1 row in {every:,.0f} of “{name}”" if every >= 3 else f"{source.share:.0%} of “{name}”"
    if rows is None:
        return said
    whole = float(f"{rows * every:.2g}")
    return f"{said} (about {whole:,.0f} rows)"


def did(table: Table, other_rows: bool = False) -> str:
    """What a step did, as a sentence for the foot; see `change`."""
    if table.rows_in is None:
        return "Brought in"
    if other_rows:
        return f"Made of {_rows(table.rows_in)}"
    if table.touched is None and table.height != table.rows_in:
        more = table.height - table.rows_in
        return f"{_rows(table.rows_in)} came in, {abs(more):,} {'more' if more > 0 else 'fewer'} go out"
    cells = sum(table.changed.values())
    if cells:
        columns = len(table.changed)
        return (
            f"{cells:,} {'cell' if cells == 1 else 'cells'} changed in {columns} "
            f"{'column' if columns == 1 else 'columns'}"
        )
    return "No cell changed" if table.touched else f"{_rows(table.rows_in)} came in"


def _rows(number: int) -> str:
    return f"{number:,} {'row' if number == 1 else 'rows'}"
