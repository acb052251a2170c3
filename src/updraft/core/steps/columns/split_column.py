from collections.abc import Mapping
from itertools import pairwise
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.conditions import checked_pattern
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import TITLES, Kind, kind_of

MOST = 500  # columns that a split may make by itself
_PARTS = "\0parts"  # a name no file can bring
_CUT = "\x1e"  # the record separator of ASCII, which no text of a table holds for itself


class SplitColumnSettings(Settings):
    column: str = setting("Column", widget="column")
    by: Literal["mark", "pattern", "places", "change"] = setting(
        "Split",
        widget="choice",
        default="mark",
        labels={
            "mark": "at a sign",
            "pattern": "at a pattern",
            "places": "behind so many characters",
            "change": "between letters and digits",
        },
    )
    at: str = setting(
        "At", "the sign or signs between the parts", widget="text", default=", ", when={"by": ["mark"]}
    )
    pattern: str = setting(
        "Pattern", "a regular expression for what stands between the parts", widget="text", default="",
        when={"by": ["pattern"]},
    )  # fmt: skip
    places: tuple[str, ...] = setting(
        "Behind character", "one number a line, such as 2 and 6", widget="lines", default=(),
        when={"by": ["places"]},
    )  # fmt: skip
    into: Literal["columns", "rows"] = setting(
        "Parts become", widget="choice", default="columns", labels={"columns": "columns", "rows": "rows"}
    )
    names: tuple[str, ...] = setting(
        "Names of the new columns",
        "one a line, the last takes the rest; none names them by number, as many as there are",
        widget="lines",
        default=(),
        when={"into": ["columns"]},
    )
    keep: bool = setting("Keep the column itself", widget="flag", default=False, when={"into": ["columns"]})


class SplitColumn(StepKind):
    """Split text at a sign or a pattern, behind so many characters, or where letters and digits meet, into
    columns or into rows. Blanks around the parts go; a part without a character is empty.
    """

    kind = "split_column"
    title = "Split column"
    summary = "Split text into several columns or rows"
    words = (
        "text to columns",
        "delimiter",
        "separate",
        "explode",
        "parts",
        "comma separated",
        "split to rows",
    )
    icon = "scissors"
    needs = frozenset({"whole"})  # how many parts there are is known of the values alone
    works_on = frozenset({Kind.TEXT})
    Settings = SplitColumnSettings

    def apply(self, tables: Tables, settings: SplitColumnSettings, context: Context) -> Result:
        table = tables.main
        schema, name = table.collect_schema(), settings.column
        if kind_of(schema[name]) is not Kind.TEXT:
            raise Problem(
                f"Column “{name}”",
                f"it holds {TITLES[kind_of(schema[name])]}s, not text.",
                "Choose a column of text.",
                field="column",
            )
        parts = _parts(settings)
        if settings.into == "rows":
            more = table.select((_how_many(settings) - 1).clip(0).sum())
            rows = table.with_columns(parts.list.eval(_part(pl.element())).alias(name))
            return Result(
                rows.explode(name, empty_as_null=True),
                counts=(
                    Count(
                        "split",
                        more,
                        f"{{n}} rows more, one for each further part of {name}",
                        one=f"{{n}} row more, for the further part of {name}",
                    ),
                ),
            )
        return self._into_columns(table, schema, settings, context)

    def _names(
        self, table: pl.LazyFrame, schema: pl.Schema, settings: SplitColumnSettings, context: Context
    ) -> tuple[str, ...]:
        if settings.names:
            others = [other for other in schema if settings.keep or other != settings.column]
            for new in settings.names:
                if not new.strip() or new in others or settings.names.count(new) > 1:
                    raise Problem(
                        f"“{new}”",
                        "the table would have two columns of this name, or one without.",
                        "Give the new columns names of their own.",
                        field="names",
                    )
            return settings.names
        by = tuple(settings.model_dump(mode="json", exclude={"names", "keep"}).items())

        def count() -> int:
            return table.select(_how_many(settings).max()).collect().item() or 1

        most = context.learnt(("parts", repr(by)), count)
        if most > MOST:
            raise Problem(
                f"Column “{settings.column}”",
                f"it would become {most:,} columns; {MOST:,} are the most.",
                "Name the columns that you need, or split it into rows.",
                field="names",
                code="too_many",
            )
        found: list[str] = []
        for number in range(1, most + 1):
            name = f"{settings.column} {number}"
            while name in schema:
                name += "_"
            found.append(name)
        return tuple(found)

    def _into_columns(
        self, table: pl.LazyFrame, schema: pl.Schema, settings: SplitColumnSettings, context: Context
    ) -> Result:
        name, names = settings.column, self._names(table, schema, settings, context)
        many = len(names)
        whole = name if settings.keep else "\0whole"  # a part may take the name of the column it comes from
        order = [
            out
            for other in schema
            for out in ((*((other,) if settings.keep else ()), *names) if other == name else (other,))
        ]
        kept = table if settings.keep else table.rename({name: whole})
        if many > 1 and settings.by != "places":  # split once, for the columns and for the count
            kept = kept.with_columns(_cut(settings, whole, many).alias(_PARTS)).cache()
            parts = [pl.col(_PARTS).struct.field(f"field_{n}") for n in range(many)]
            few = parts[-1].is_null() & pl.col(whole).is_not_null()
            # What is left holds the marks of ours that were put between.
            parts = [part if settings.by == "mark" else _unmarked(part) for part in parts]
            short = kept.select(few.sum())
        else:
            parts = _first(settings, whole, many)
            short = table.select((_how_many(settings) < many).sum())
        fresh = [_part(part).alias(new) for part, new in zip(parts, names, strict=True)]
        counts = (
            ()
            if not settings.names
            else (
                Count(
                    "short",
                    short,
                    f"{{n}} rows have fewer than {many} parts",
                    "warning",
                    one=f"{{n}} row has fewer than {many} parts",
                ),
            )
        )
        return Result(kept.with_columns(fresh).select(order), touched=(), counts=counts)

    def reads(self, settings: SplitColumnSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column, *settings.names])  # new names: they must not be there yet

    def spread(self, settings: SplitColumnSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return Spread("rows", learns=settings.into == "columns" and not settings.names)

    def sentence(self, settings: SplitColumnSettings) -> str:
        into = "rows" if settings.into == "rows" else ", ".join(settings.names) or "columns"
        where = {
            "mark": f"at “{settings.at}”",
            "pattern": f"at {settings.pattern or '…'}",
            "places": f"behind {listed(settings.places) or '…'}",
            "change": "between letters and digits",
        }[settings.by]
        return f"{settings.column or '…'} {where} → {into}"


def _parts(settings: SplitColumnSettings) -> pl.Expr:
    """All parts of each text, as a list; an empty cell has none."""
    text = pl.col(settings.column)
    if settings.by == "mark":
        return text.str.split(_sign(settings))
    if settings.by == "places":
        cuts = _places(settings)
        return pl.concat_list([text.str.slice(start, size) for start, size in cuts]).list.drop_nulls()
    return _marked(text, settings).str.split(_CUT)


def _sign(settings: SplitColumnSettings) -> str:
    if not settings.at:
        raise Problem(
            "The sign to split at", "there is none.", "Type the sign between the parts.", field="at",
            code="unfinished",
        )  # fmt: skip
    return settings.at


def _how_many(settings: SplitColumnSettings) -> pl.Expr:
    """How many parts each text has."""
    if settings.by == "mark" and settings.at:
        return pl.col(settings.column).str.count_matches(settings.at, literal=True).cast(pl.Int64) + 1
    return _parts(settings).list.len().cast(pl.Int64)


def _first(settings: SplitColumnSettings, name: str, many: int) -> list[pl.Expr]:
    """The first parts by places, or the only one there is."""
    text = pl.col(name)
    if settings.by != "places":
        return [text if settings.by == "mark" else _unmarked(_marked(text, settings))]
    cuts = _places(settings)
    taken = [text.str.slice(start, size) for start, size in cuts[: many - 1]]
    rest = text.str.slice(cuts[many - 1][0]) if many <= len(cuts) else pl.lit(None, pl.String)
    empty = [pl.lit(None, pl.String)] * max(many - 1 - len(cuts), 0)
    return [*taken, *empty, rest]


def _cut(settings: SplitColumnSettings, name: str, many: int) -> pl.Expr:
    """The first parts as one record, the last with the rest."""
    text = pl.col(name)
    if settings.by == "mark":
        return text.str.splitn(_sign(settings), many)
    return _marked(text, settings).str.splitn(_CUT, many)


def _unmarked(text: pl.Expr) -> pl.Expr:
    return text.str.replace_all(_CUT, "", literal=True)


def _marked(text: pl.Expr, settings: SplitColumnSettings) -> pl.Expr:
    """The text with a mark of ours where it is to be split."""
    if settings.by == "change":
        marked = text.str.replace_all(r"(\p{L})(\p{N})", f"${{1}}{_CUT}${{2}}")
        return marked.str.replace_all(r"(\p{N})(\p{L})", f"${{1}}{_CUT}${{2}}")
    if not settings.pattern:
        raise Problem("The pattern", "there is none yet.", "Type one.", field="pattern", code="unfinished")
    return text.str.replace_all(checked_pattern(settings.pattern, field="pattern"), _CUT)


def _places(settings: SplitColumnSettings) -> list[tuple[int, int | None]]:
    """Where the parts begin, and how long they are; the last takes what is left."""
    found = [0]
    for line in settings.places:
        at = int(line) if line.strip().isdigit() and len(line.strip()) < 7 else 0
        if at <= found[-1]:
            raise Problem(
                f"“{line}”", "it is no number above the one before it.", "Type rising numbers, one a line.",
                field="places",
            )  # fmt: skip
        found.append(at)
    if len(found) == 1:
        raise Problem(
            "The places", "there is none yet.", "Type behind which character to split.", field="places",
            code="unfinished",
        )  # fmt: skip
    return [(start, end - start) for start, end in pairwise(found)] + [(found[-1], None)]


def _part(text: pl.Expr) -> pl.Expr:
    text = text.str.strip_chars()
    return pl.when(text.str.len_bytes() > 0).then(text)
