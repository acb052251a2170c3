import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables
from updraft.core.values import DTYPES, TITLES, Kind, kind_of
from updraft.core.values.text import shown

_MOST = 2_000  # rows that may become columns


class TransposeSettings(Settings):
    names: str = setting(
        "Names of the new columns",
        "the column that holds them; none numbers them",
        widget="column",
        default="",
    )
    name: str = setting("Name for the old columns' names", widget="text", default="Column")


class Transpose(StepKind):
    """Turn the table: each row becomes a column, each column a row. Values of one kind keep it, others become
    text.
    """

    kind = "transpose"
    title = "Transpose"
    summary = "Turn rows into columns and columns into rows"
    words = ("flip", "rotate", "swap rows and columns", "turn")
    icon = "arrow-clockwise"
    other_rows = True
    needs = frozenset({"whole"})
    Settings = TransposeSettings

    def apply(self, tables: Tables, settings: TransposeSettings, context: Context) -> Result:
        table = tables.main.collect()
        if table.height > _MOST:
            raise Problem(
                "The table",
                f"its {table.height:,} rows would become as many columns; {_MOST:,} are the most.",
                "Summarise it, or take some rows before.",
                code="too_wide",
            )
        names = self._names(table, settings)
        named = [settings.names] if settings.names else []
        columns = [column for column in table.get_columns() if column.name not in named]
        dtype = _common(columns)
        cells = [
            (shown(column) if dtype == pl.String() else column.cast(dtype)).to_list() for column in columns
        ]
        turned = {name: [column[n] for column in cells] for n, name in enumerate(names)}
        first = pl.Series(settings.name.strip() or "Column", [column.name for column in columns], pl.String)
        return Result(pl.LazyFrame([first, *(pl.Series(name, turned[name], dtype) for name in names)]))

    def _names(self, table: pl.DataFrame, settings: TransposeSettings) -> list[str]:
        if not settings.names:
            return [f"Row {n}" for n in range(1, table.height + 1)]
        names = shown(table[settings.names]).fill_null("Empty").to_list()
        double = next((name for name in names if names.count(name) > 1), None)
        taken = settings.name.strip() or "Column"
        if double is None and taken not in names:
            return names
        raise Problem(
            f"“{double or taken}”",
            f"two columns would have this name (a {TITLES[Kind.TEXT]} of {settings.names}).",
            "Choose a column whose values all differ, or another name for the old columns' names.",
            field="names",
        )

    def sentence(self, settings: TransposeSettings) -> str:
        return f"names from {settings.names}" if settings.names else "rows become columns"


def _common(columns: list[pl.Series]) -> pl.DataType:
    """The type that the cells of all columns can have: their own, else numbers, else text."""
    filled = [column.dtype for column in columns if column.null_count() < column.len()]
    kinds = {kind_of(dtype) for dtype in filled}
    if len(set(filled)) == 1 and kinds <= set(DTYPES):
        return filled[0]
    kind = (
        Kind.NUMBER if kinds == {Kind.WHOLE, Kind.NUMBER} else kinds.pop() if len(kinds) == 1 else Kind.TEXT
    )
    wide = any(dtype in (pl.UInt64, pl.Int128, pl.UInt128) for dtype in filled)
    return DTYPES[Kind.NUMBER] if kind is Kind.WHOLE and wide else DTYPES.get(kind, pl.String())
