import polars as pl

from updraft.core.formula import Term, compile_formula, names_in
from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Count, Grounds, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import listed
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind, kind_of


class Formula(Settings):
    name: str = setting("Column", "a new name, or one of the table's", widget="column_or_new", default="")
    formula: str = setting("Formula", widget="formula", default="")


class CalculateSettings(Settings):
    unfilled = frozenset({"columns"})
    columns: tuple[Formula, ...] = setting(
        "Columns this step makes", "each may use those above it", widget="items", default=(), one="column"
    )


class Calculate(StepKind):
    """Make columns by formulas, or replace them. A formula whose name is taken replaces that column in its
    place.
    """

    kind = "calculate"
    title = "Calculate"
    summary = "Make or replace columns by formulas"
    words = (
        "formula",
        "expression",
        "compute",
        "new column",
        "function",
        "if",
        "concatenate",
        "math",
        "date",
    )
    icon = "calculator"
    Settings = CalculateSettings

    def apply(self, tables: Tables, settings: CalculateSettings, context: Context) -> Result:
        table = tables.main
        if not settings.columns:
            raise Problem(
                "The formulas", "there is none yet.", "Add a column.", field="columns", code="unfinished"
            )
        kinds = {name: kind_of(dtype) for name, dtype in table.collect_schema().items()}
        replaced = []
        for number, wanted in enumerate(settings.columns, 1):
            name = wanted.name.strip()
            if not name:
                raise Problem(
                    f"Column {number}", "it has no name yet.", "Type one.", field="columns", code="unfinished"
                )
            term = self._term(wanted, kinds, context)
            if name in kinds:
                replaced.append(name)
            table = table.with_columns(term.expr.alias(name))
            kinds[name] = kind_of(table.collect_schema()[name])
        before = tables.main.collect_schema()
        return Result(
            table,
            counts=tuple(_empty(table, name) for name in {c.name.strip(): None for c in settings.columns}),
            touched=tuple(name for name in dict.fromkeys(replaced) if name in before),
        )

    def _term(self, wanted: Formula, kinds: dict[str, Kind], context: Context) -> Term:
        try:
            return compile_formula(wanted.formula, kinds, context.parameter)
        except Problem as problem:
            code = "unfinished" if not wanted.formula.strip() else problem.code
            raise Problem(
                f"{wanted.name}: {problem.thing}", problem.reason, problem.way_out, field="columns", code=code
            ) from None

    def reads(self, settings: CalculateSettings, wanted: Wanted, port: str) -> Wanted:
        read: set[str] = set()
        for column in settings.columns:
            names, _ = names_in(column.formula)
            if names is None:
                return None
            read |= names | {column.name.strip()}
        return also(wanted, read)

    def depends_on(self, settings: CalculateSettings, grounds: Grounds) -> list[str]:
        used = {name for column in settings.columns for name in names_in(column.formula)[1]}
        return [grounds.parameter(name) for name in sorted(used)]

    def sentence(self, settings: CalculateSettings) -> str:
        if len(settings.columns) == 1:
            only = settings.columns[0]
            return f"{only.name or '…'} = {only.formula or '…'}"
        return listed(column.name for column in settings.columns) or "no formula yet"


def _empty(table: pl.LazyFrame, name: str) -> Count:
    return Count(
        f"empty:{name}",
        table.select(pl.col(name).is_null().sum()),
        f"{{n}} rows have no result in {name}",
        one=f"{{n}} row has no result in {name}",
    )
