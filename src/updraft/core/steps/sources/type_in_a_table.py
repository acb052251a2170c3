from typing import Literal

import polars as pl

from updraft.core.formats.header import column_names
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables
from updraft.core.values import decide

MOST_CELLS = 50_000  # it is kept in the flow itself


class TypeInATableSettings(Settings):
    columns: tuple[str, ...] = setting("Columns", widget="sheet", default=("Column 1", "Column 2"))
    rows: tuple[tuple[str, ...], ...] = setting("Rows", widget="hidden", default=())
    types: Literal["decide", "text"] = setting(
        "Types of columns",
        widget="choice",
        default="decide",
        labels={"decide": "decide from all values", "text": "leave as text"},
    )


class TypeInATable(StepKind):
    """A small table typed or pasted into the flow itself. Rows of nothing but empty cells do not count."""

    kind = "type_in_a_table"
    title = "Type in a table"
    summary = "A small table, typed or pasted from a spreadsheet"
    words = ("paste", "clipboard", "manual", "enter", "inline", "constant", "list", "create", "source")
    icon = "table"
    way_in = (4, "A typed table")
    inputs = ()
    made_for = "cells"
    Settings = TypeInATableSettings

    def files(self, settings: TypeInATableSettings) -> tuple[str, ...]:
        return ()

    def apply(self, tables: Tables, settings: TypeInATableSettings, context: Context) -> Result:
        width = max([len(settings.columns), *(len(row) for row in settings.rows)], default=0)
        if not width:
            raise Problem(
                "The table",
                "it has no column yet.",
                "Type a name, or paste cells.",
                field="columns",
                code="unfinished",
            )
        if width * len(settings.rows) > MOST_CELLS:
            raise Problem(
                "The table",
                f"it has more than {MOST_CELLS:,} cells.",
                "Bring it in as a file.",
                field="columns",
                code="too_big",
            )
        names, said = column_names(list(settings.columns), width)
        rows = [
            [*row, *[""] * (width - len(row))] for row in settings.rows if any(cell.strip() for cell in row)
        ]
        columns = {name: [row[place] or None for row in rows] for place, name in enumerate(names)}
        frame = pl.DataFrame(columns, schema=dict.fromkeys(names, pl.String))
        evidence: dict[str, str] = {}
        if settings.types == "decide":
            frame, decisions = decide(frame)
            evidence = {decision.column: decision.evidence for decision in decisions}
            said += [f"“{d.column}” stays text: {d.evidence}." for d in decisions if d.doubt]
        return Result(frame.lazy(), warnings=tuple(said), evidence=evidence)

    def sentence(self, settings: TypeInATableSettings) -> str:
        filled = sum(any(cell.strip() for cell in row) for row in settings.rows)
        return f"{listed(settings.columns)} · {filled:,} {'row' if filled == 1 else 'rows'} typed in"
