from updraft.core.steps.base import Context, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import ColumnChoice, need_kind
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind, kind_of
from updraft.core.values.convert import pattern_of


class FormatDatesSettings(Settings):
    columns: ColumnChoice = setting(
        "Columns",
        widget="columns",
        default=ColumnChoice(by="types", types=(Kind.DATE, Kind.DATETIME)),
        kind="date",
    )
    format: str = setting(
        "Format", "letters such as DD.MM.YYYY or D Mon YYYY", widget="text", default="DD.MM.YYYY"
    )


class FormatDates(StepKind):
    """Write dates as text in a format, for people to read."""

    kind = "format_dates"
    title = "Format dates"
    summary = "Write dates as text, day, month and year as you like"
    words = ("date format", "date to text", "day month year", "strftime")
    icon = "calendar-week"
    works_on = frozenset({Kind.DATE, Kind.DATETIME})
    Settings = FormatDatesSettings

    def apply(self, tables: Tables, settings: FormatDatesSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        columns = [
            name
            for name in settings.columns.resolve(schema)
            if settings.columns.by == "names" or kind_of(schema[name]) in (Kind.DATE, Kind.DATETIME)
        ]
        way_out = "Put a step “Set types” before this one."
        for name in columns:
            need_kind(name, schema, [Kind.DATE, Kind.DATETIME], field="columns", way_out=way_out)
        pattern = pattern_of(settings.format)
        return Result.by_value(table, dict.fromkeys(columns, lambda day: day.dt.to_string(pattern)))

    def reads(self, settings: FormatDatesSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, settings.columns.names) if settings.columns.by == "names" else None

    def sentence(self, settings: FormatDatesSettings) -> str:
        return f"{settings.columns.words()} · {settings.format}"
