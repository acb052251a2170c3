from updraft.core.formats.header import column_names
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables
from updraft.core.values import decide


class NamesFromRowSettings(Settings):
    row: int = setting(
        "Row with the names",
        "counted from 1; it and the rows above it go",
        widget="number",
        default=1,
        minimum=1,
    )
    types: bool = setting("Decide the types of the columns anew", widget="flag", default=True)


class NamesFromRow(StepKind):
    """Take the names of the columns from a row; that row and those above it go.

    A name that is empty stays what it was; one that stands there twice gets a number. With `kinds`, the kinds
    of the columns are decided from the values left, as when a file is read.
    """

    kind = "names_from_row"
    title = "Names from a row"
    summary = "Take the columns' names from a row, and drop it with the rows above"
    words = ("header", "promote", "first row as header", "column names", "title lines", "use row as header")
    icon = "card-heading"
    Settings = NamesFromRowSettings

    def apply(self, tables: Tables, settings: NamesFromRowSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        if settings.row < 1:
            raise Problem("The row", "rows are counted from 1.", "Type a number above 0.", field="row")
        # The names of what comes out are in the data: this one row has to be looked at.
        found = table.slice(settings.row - 1, 1).collect()
        if not found.height:
            raise Problem(
                f"Row {settings.row:,}", "the table ends before it.", "Choose a row further up.", field="row"
            )
        given: list[str | None] = [
            str(value).strip() if value is not None and str(value).strip() else old
            for old, value in zip(schema, found.row(0), strict=True)
        ]
        names, told = column_names(given, len(given))
        done = table.slice(settings.row).rename(dict(zip(schema, names, strict=True)))
        if not settings.types:
            return Result(done, warnings=tuple(told))
        fresh, decisions = decide(done.collect())
        return Result(
            fresh.lazy(),
            warnings=tuple(told),
            evidence={d.column: d.evidence for d in decisions if d.evidence},
        )

    def sentence(self, settings: NamesFromRowSettings) -> str:
        return f"row {settings.row:,} names the columns"
