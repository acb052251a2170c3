"""What Read database asks of a database: its settings as SQL that means just what they mean elsewhere."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import polars as pl
import sqlalchemy as sa
from sqlalchemy.dialects.mysql import TINYINT

from updraft.core.connect import Database
from updraft.core.connect.database import connected, one_select, read, reflected
from updraft.core.problems import Problem, missing_column
from updraft.core.steps.conditions import (
    OPPOSITES,
    OURS_ALONE,
    Condition,
    Group,
    Most,
    Only,
    Rule,
    only_here,
    value_of,
)
from updraft.core.steps.given import Context, Wanted
from updraft.core.steps.presummed import Groups, rows_of
from updraft.core.steps.sql_texts import Exact, InOrder, Position
from updraft.core.values import DTYPES, Kind
from updraft.core.values.decimals import PLACES, SURE

if TYPE_CHECKING:
    from updraft.core.steps.sources.read_database import ReadDatabaseSettings

# As `is_blank` has it; written out, since databases do not agree on what white space is.
_NOT_BLANK = "[^ \t\n\r\x0b\x0c\u0085\u00a0\u1680\u2000-\u200b\u2028\u2029\u202f\u205f\u3000\ufeff]"

_ALIKE = ("postgresql", "mysql", "mariadb")  # databases that compare, count and add up as steps do


class Fetched(NamedTuple):
    """What a database gave; `whole` is how many rows it has, where those that nobody keeps stayed there, or
    only groups came: then `grouped` is how many rows these are of.
    """

    frame: pl.DataFrame
    whole: int | None = None
    grouped: int | None = None


def fetched(connection: Database, settings: ReadDatabaseSettings, context: Context) -> Fetched:
    """The table or the answer of the query: of a table only the columns and rows that later steps need.

    Raises:
        Problem: it cannot be had.
    """
    outside = context.outside
    with connected(connection) as database:
        if settings.by == "sql":
            query: Any = sa.text(one_select(settings.sql))
            given = {bind.name: bind.value for bind in settings.binds}
            missing = [name for name in query._bindparams if name not in given]
            if missing:
                raise Problem(
                    f"“:{missing[0]}”",
                    "no value is given for it.",
                    "Add it below the query.",
                    field="binds",
                    code="unfinished",
                )
            values = {name: given[name] for name in query._bindparams}
            return Fetched(read(database, query, values, outside, settings.limit))
        table = reflected(database, settings.table, connection)
        groups = context.groups
        by_group = grouped(table, settings, groups, database.dialect.name) if groups else None
        if groups and by_group is not None:
            found = read(database, by_group, {}, outside)
            found.columns = [*groups.by, *groups.names.values()]
            summed = _of_groups(_typed(found, table), table, groups)
            if summed is not None:
                rows = rows_of(summed, groups)
                whole = _counted(database, selection(table, settings)) if groups.only else rows
                return Fetched(summed, whole, grouped=rows)
        query = selection(table, settings, context.wanted)
        kept = None if settings.limit else _ahead(table, settings, context.ahead, database.dialect.name)
        if kept is None:
            return Fetched(_typed(read(database, query, {}, outside), table))
        found = _typed(read(database, query.where(kept), {}, outside), table)
        return Fetched(found, _counted(database, query))


def _counted(database: sa.Connection, query: sa.Select[Any]) -> int:
    """How many rows a query has."""
    counted = sa.select(sa.func.count()).select_from(query.order_by(None).subquery())
    return int(database.execute(counted).scalar_one())


def _ahead(table: sa.Table, settings: ReadDatabaseSettings, rows: Only | Most | None, dialect: str) -> Any:
    """The rows that the next step keeps, as a condition; None where it might mean another thing here."""
    if isinstance(rows, Most):
        return _foremost(table, settings, rows) if dialect in _ALIKE else None
    return _kept(table, rows, dialect)


def _foremost(table: sa.Table, settings: ReadDatabaseSettings, most: Most) -> Any:
    """Rows up to the last one that is taken, those equal to it, and those without a value, which are counted.

    Which of equal ones is taken follows from where they stand: that is left to the step, and so are columns
    of which a number here might not hold every digit.
    """
    if most.column not in (settings.columns or table.columns.keys()) or not most.count:
        return None
    key, all_of_it = table.columns[most.column], table.alias()
    digits = getattr(key.type, "precision", None) or 99
    if not (_kind(key) in (Kind.WHOLE, Kind.DATE) or (_is_decimal(key) and digits <= 15)):
        return None
    its = all_of_it.columns[most.column]
    last = sa.select(its).where(its.is_not(None)).order_by(its.desc() if most.largest else its.asc())
    if settings.rule.of:
        last = last.where(_where(settings.rule, all_of_it))
    nth = last.offset(most.count - 1).limit(1).scalar_subquery()
    return sa.or_(key.is_(None), nth.is_(None), key >= nth if most.largest else key <= nth)


def _kept(table: sa.Table, only: Only | None, dialect: str) -> Any:
    """The rows that a rule keeps, as a condition; None where it might mean another thing here.

    Patterns and letters of either case are read by each database in its own way, and SQLite keeps values of
    any kind in any column.
    """
    if only is None or dialect not in _ALIKE or not all(map(_alike, only.rule.conditions())):
        return None
    try:
        met = _where(only.rule, table)
    except Problem:  # which the step says itself
        return None
    return met if only.meet else sa.not_(met)


def _alike(condition: Condition) -> bool:
    return condition.test != "matches" and condition.test not in OURS_ALONE and not condition.ignore_case


def _typed(found: pl.DataFrame, table: sa.Table) -> pl.DataFrame:
    """Columns without a single value get their kind from the database; so do those that are yes/no there."""
    kinds = {
        series.name: _kind(table.columns[series.name]) for series in found if series.name in table.columns
    }
    return found.with_columns(
        pl.col(name).cast(DTYPES[kind])
        for name, kind in kinds.items()
        if found[name].null_count() == found.height
        or (kind is Kind.YES_NO and found.schema[name].is_integer())
    )


def selection(table: sa.Table, settings: ReadDatabaseSettings, wanted: Wanted = None) -> sa.Select[Any]:
    """The query for a table's chosen columns (of those, the ones that are wanted), rows, order and limit.

    A condition means just what it means in Keep rows: an empty cell meets only “is empty” and “is not”, and
    texts are compared by their letters' numbers.
    """
    columns = [_column(table, name, "columns") for name in settings.columns] or list(table.columns)
    needed = [column for column in columns if wanted is None or column.name in wanted]
    query = sa.select(*(needed or columns[:1]))
    if settings.rule.of:
        query = query.where(_where(settings.rule, table))
    for order in settings.order:
        column = _ordered(_column(table, order.column, "order"))
        query = query.order_by(column.desc() if order.down else column.asc())
    return query.limit(settings.limit) if settings.limit else query


def grouped(
    table: sa.Table, settings: ReadDatabaseSettings, groups: Groups, dialect: str
) -> sa.Select[Any] | None:
    """The query for groups of a table's rows; None where the database might count or add up otherwise.

    Whole numbers and those of a fixed number of decimals, six at most, are added up there, since the order
    matters for others; nor are others compared. Texts are one group where all letters are the same.
    """
    known = settings.columns or list(table.columns.keys())
    read_ = {*groups.by, *groups.of, *(groups.only.rule.columns() if groups.only else ())}
    kept = _kept(table, groups.only, dialect) if groups.only else None
    if settings.limit or dialect not in _ALIKE or not read_ <= set(known):
        return None
    keys = [_key_of(table.columns[name], dialect) for name in groups.by]
    figures = [
        _figure_of(table.columns[column], what) if column else sa.func.count()
        for what, column in groups.names
    ]
    if None in keys or any(figure is None for figure in figures) or (groups.only and kept is None):
        return None
    told = [key[0] for key in keys if key]
    labelled = [one.label(f"c{n}") for n, one in enumerate([*told, *figures])]
    query = sa.select(*labelled).select_from(table)
    if settings.rule.of:
        query = query.where(_where(settings.rule, table))
    if kept is not None:
        query = query.where(kept)
    return query.group_by(*(key[1] for key in keys if key)) if keys else query


def _key_of(column: Any, dialect: str) -> tuple[Any, Any] | None:
    """How a key is told of a group, and by what rows are in one."""
    kind = _kind(column)
    if kind is Kind.TEXT:
        if not isinstance(column.type, sa.String) or isinstance(column.type, sa.Enum):
            return None
        return (column, column) if dialect == "postgresql" else (sa.func.min(column), Exact(column))
    if kind in (Kind.WHOLE, Kind.DATE, Kind.YES_NO):
        return column, column
    return None


def _figure_of(column: Any, what: str) -> Any:
    kind = _kind(column)
    exact = kind in (Kind.WHOLE, Kind.DATE) or (
        isinstance(column.type, sa.Numeric) and not isinstance(column.type, sa.Float)
    )
    added = sa.Numeric(38, PLACES)
    match what:
        case "filled":
            return sa.func.count(column)
        case "sum" if _is_decimal(column):
            return sa.cast(sa.func.sum(column), added)
        case "size" if _is_decimal(column):
            return sa.cast(sa.func.sum(sa.func.abs(column)), added)
        case "sum" if kind is Kind.WHOLE:
            return sa.cast(sa.func.sum(column), sa.BigInteger)
        case "size" if kind is Kind.WHOLE:
            return sa.cast(sa.func.sum(sa.func.abs(column)), sa.BigInteger)
        case "min" if exact:
            return sa.func.min(column)
        case "max" if exact:
            return sa.func.max(column)
    return None


def _is_decimal(column: Any) -> bool:
    """Whether numbers have a fixed number of decimals, few enough for their sums to be exact here, too."""
    if not isinstance(column.type, sa.Numeric) or isinstance(column.type, sa.Float):
        return False
    return column.type.scale is not None and 0 < column.type.scale <= PLACES


def _of_groups(found: pl.DataFrame, table: sa.Table, groups: Groups) -> pl.DataFrame | None:
    """With the kinds that counts, sums and bounds have where the rows themselves came; None where a sum is
    too large for a number here to hold it exactly.
    """
    made: list[pl.Expr] = []
    for (what, column), name in groups.names.items():
        decimal = bool(column) and _is_decimal(table.columns[column])
        if what in ("min", "max"):
            made.append(pl.col(name).cast(DTYPES[_kind(table.columns[column])]))
        elif what in ("sum", "size") and decimal:
            made.append(pl.col(name).cast(pl.Float64).round(PLACES))
        else:
            made.append(pl.col(name).cast(pl.Int64))
    found = found.with_columns(made)
    sizes = [name for (what, _), name in groups.names.items() if what == "size"]
    large = any((found[name] >= SURE).any() for name in sizes if found.schema[name].is_float())
    return None if large else found


def _column(table: sa.FromClause, name: str, field: str) -> Any:
    if not name:
        raise Problem("A condition", "it has no column yet.", "Choose one.", field=field, code="unfinished")
    if name not in table.columns:
        raise missing_column(name, list(table.columns.keys()), field=field)
    return table.columns[name]


def _where(item: Rule | Group | Condition, table: sa.FromClause) -> Any:
    if isinstance(item, Condition):
        return _test(item, _column(table, item.column, "rule"))
    parts = [_where(inner, table) for inner in item.of]
    if item.match == "all":
        return sa.and_(sa.true(), *parts)
    return sa.or_(sa.false(), *parts)


def _test(condition: Condition, column: Any) -> Any:
    test, kind = condition.test, _kind(column)
    if test in OURS_ALONE:
        raise only_here(condition, "databases")
    if test in OPPOSITES:
        return sa.not_(_test(condition.model_copy(update={"test": OPPOSITES[test]}), column))
    if test in ("empty", "filled"):
        blank = (
            sa.or_(column.is_(None), sa.not_(column.regexp_match(_NOT_BLANK)))
            if kind is Kind.TEXT
            else column.is_(None)
        )
        return blank if test == "empty" else sa.not_(blank)
    if kind is Kind.TEXT or test in ("contains", "starts", "ends", "matches"):
        return _text_test(condition, column if kind is Kind.TEXT else sa.cast(column, sa.String))
    if test == "one_of":
        return sa.and_(
            column.is_not(None), column.in_([value_of(text, kind, column.name) for text in condition.values])
        )
    to = value_of(condition.to, kind, column.name) if test == "between" else None
    return _compared(column, test, value_of(condition.value, kind, column.name), to)


def _text_test(condition: Condition, column: Any) -> Any:
    fold = condition.ignore_case
    text = sa.func.lower(column, type_=sa.String()) if fold else column
    value, to = (v.lower() if fold else v for v in (condition.value, condition.to))
    match condition.test:
        case "one_of":
            return sa.and_(
                column.is_not(None), Exact(text).in_([v.lower() if fold else v for v in condition.values])
            )
        case "contains":
            return (
                sa.and_(column.is_not(None), Position(Exact(text), sa.literal(value)) > 0)
                if value
                else column.is_not(None)
            )
        case "starts" | "ends":
            size, many = sa.func.char_length(text), len(value)  # MySQL counts a length in bytes
            start = sa.literal(1) if condition.test == "starts" else size - many + 1
            fits = sa.and_(size >= many, Exact(sa.func.substr(text, start, many)) == value)
            return sa.and_(column.is_not(None), fits) if value else column.is_not(None)
        case "matches":
            return sa.and_(
                column.is_not(None),
                column.regexp_match(f"(?i){condition.value}" if fold else condition.value),
            )
        case _:
            equal = condition.test in ("equals", "not_equals")
            ordered = Exact(text) if equal else _ordered(text)
            return _compared(ordered, condition.test, value, to)


def _compared(column: Any, test: str, value: Any, to: Any) -> Any:
    match test:
        case "equals":
            return sa.and_(column.is_not(None), column == value)
        case "not_equals":
            return sa.or_(column.is_(None), column != value)
        case "between":
            return sa.and_(column.is_not(None), column >= value, column <= to)
        case _:
            answer = {
                "less": column < value,
                "at_most": column <= value,
                "more": column > value,
                "at_least": column >= value,
            }[test]
            return sa.and_(column.is_not(None), answer)


def _kind(column: Any) -> Kind:
    """The kind that a database type is read as. MySQL keeps yes/no as a whole number of one digit."""
    if isinstance(column.type, TINYINT) and column.type.display_width == 1:
        return Kind.YES_NO
    kinds = (
        (sa.Boolean, Kind.YES_NO),
        (sa.Integer, Kind.WHOLE),
        (sa.Numeric, Kind.NUMBER),
        (sa.DateTime, Kind.DATETIME),
        (sa.Date, Kind.DATE),
    )
    return next((kind for type_, kind in kinds if isinstance(column.type, type_)), Kind.TEXT)


def _ordered(column: Any) -> Any:
    """A column compared by the numbers of its letters, as everywhere else, and not by a language's
    alphabet.
    """
    return InOrder(column) if isinstance(column.type, sa.String) else column
