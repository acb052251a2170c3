from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Literal

import polars as pl

from updraft.core.linking import MEASURES, link
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_free
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.joins.keys import Brought, missed_counts
from updraft.core.steps.likeness import FieldAlike, check_fields, least_alike, linked, texts
from updraft.core.steps.opening import question_key, questions
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import WHOLE, Spread
from updraft.core.steps.tables import Out, Port, Tables

_ROW, _ENTRY, _SCORE = "\0row", "\0entry", "\0score"  # names no file can bring
_RANK, _MARGIN = "\0rank", "\0margin"
_DOUBTFUL = 5.0  # points above the least, or ahead of the next


class LookUpAlikeSettings(Settings):
    fields: tuple[FieldAlike, ...] = setting(
        "Alike in", widget="alike", default=(), port="reference", needs="some"
    )
    least: int = least_alike(85)
    take: Literal["first", "best", "all", "once"] = setting(
        "Of several",
        widget="choice",
        default="first",
        labels={
            "first": "first of the best",
            "best": "all of the best",
            "all": "all",
            "once": "the best, each row of the other table once",
        },
    )
    bring: tuple[Brought, ...] = setting("Bring", widget="bring", default=(), port="reference", needs="some")
    missing: Literal["empty", "keep", "text"] = setting(
        "Without a match",
        widget="choice",
        default="empty",
        labels={"empty": "empty", "keep": "the value itself", "text": "a text"},
    )
    text: str = setting("Text", widget="text", default="not found", when={"missing": ["text"]})
    likeness: str = setting(
        "Name of a column for the likeness", "nothing makes none", widget="text", default="Likeness"
    )
    rank: str = setting("Name of a column for the rank", "1 for the best", widget="text", default="")
    margin: str = setting(
        "Name of a column for the lead",
        "points ahead of the next that is alike enough",
        widget="text",
        default="",
    )


class LookUpAlike(StepKind):
    """Bring columns from the rows of another table that are most like this one's: in one field, or in several
    of which each is compared in its own way and counts so much. Case and blanks do not count. Without a match
    the first column brought is empty, the value of the first field, or a text.

    The likeness of two rows is the mean of what their fields are alike, by how much they count; a field in
    which one is empty counts a tenth, as not alike, and names in each other's place are nearly as good. By
    one field of letters the best of all rows is found; else the best of the ten that share most of what few
    rows have.

    Matches that are little above the least, or little ahead of the next, can be decided: what is taken, typed
    or left (then it meets what is written just so, or nothing) stays decided, and counts as alike by 100.
    """

    kind = "look_up_alike"
    title = "Look up by likeness"
    summary = "Bring columns from another table by keys that are nearly the same"
    words = (
        "fuzzy lookup",
        "fuzzy join",
        "approximate match",
        "similar",
        "misspelt",
        "levenshtein",
        "record linkage",
        "link people",
    )
    icon = "bullseye"
    desk = "review"
    version = 3
    needs = frozenset({"whole", "decisions"})
    inputs = (Port(main=True), Port("reference", "Look up in"))
    outputs = (
        Out(main=True),
        Out("unmatched", "Rows without a match"),
        Out("doubtful", "Matches to look at"),
        Out("unmatched_other", "The other's rows that nothing met"),
        Out("open", "Matches to decide"),
    )
    Settings = LookUpAlikeSettings

    def apply(self, tables: Tables, settings: LookUpAlikeSettings, context: Context) -> Result:
        table, other = tables.main, tables["reference"]
        schema, its = table.collect_schema(), other.collect_schema()
        check_fields(settings.fields)
        names = [brought.called() for brought in settings.bring]
        told = {
            of: name.strip()
            for of, name in ((_SCORE, settings.likeness), (_RANK, settings.rank), (_MARGIN, settings.margin))
            if name.strip()
        }
        new = [*names, *told.values()]
        need_free(new, schema, field="bring", way_out="Give it another name.")
        sides = [
            texts(table, [one.column for one in settings.fields]),
            texts(other, [one.reference for one in settings.fields]),
        ]
        read = pl.collect_all(sides, engine="in-memory")
        decided = context.decisions if context is not None else {}
        near = self._near(read, settings, decided)
        brought = [pl.col(b.column).alias(name) for b, name in zip(settings.bring, names, strict=True)]
        entries = other.select(brought).with_row_index(_ENTRY)
        met = (
            table.with_row_index(_ROW)
            .join(near.lazy(), on=_ROW, how="left", maintain_order="left_right")
            .join(entries, on=_ENTRY, how="left", maintain_order="left_right")
            .cache()
        )
        missed = pl.col(_SCORE).is_null()
        filled = self._filled(settings, names[0], its[settings.bring[0].column], schema, missed)
        others = [pl.col(name) for name in names[1:]]
        made = [*filled, *others, *(pl.col(of).alias(name) for of, name in told.items())]
        unmatched = met.filter(missed)
        doubtful = met.filter(_is_doubtful(settings.least)).select(
            *schema.names(), *made, *([] if settings.likeness.strip() else [pl.col(_SCORE).alias("Likeness")])
        )
        alone = other.with_row_index(_ENTRY).join(near.lazy(), on=_ENTRY, how="anti", maintain_order="left")
        outputs = {
            "unmatched": unmatched.select(schema.names()),
            "doubtful": doubtful,
            "unmatched_other": alone.select(its.names()),
            "open": _open(near, read, settings, decided).lazy(),
        }
        keeps = () if settings.take in ("first", "once") else None
        counts = self._counts(settings, unmatched, doubtful)
        return Result(met.select(*schema.names(), *made), outputs, counts, keeps, (*names, *told.values()))

    def _near(
        self, sides: Sequence[pl.DataFrame], settings: LookUpAlikeSettings, decided: Mapping[str, str]
    ) -> pl.DataFrame:
        """For each row of this table the rows of the other that are taken, by their places; those that
        somebody decided meet the rows of just that text.
        """
        mine, its = sides
        fields = linked(settings.fields)
        # Rows that are equal in all fields are compared once, and of the other's the first counts.
        rows, some = _distinct(mine) if settings.take != "once" else _each(mine)
        entries, listed_ = _distinct(its) if settings.take in ("first", "best") else _each(its)
        match = partial(link, fields=fields, least=float(settings.least), take=settings.take)
        if not decided:
            found = match(some, listed_)
        elif settings.take == "once":
            found = _others_once(match, some, listed_, decided)
        else:
            met = _decided(some, listed_, decided)
            found = match(some, listed_)
            found = _with(found.filter(~pl.col("left").is_in(met["left"].implode())), met)
        first = entries.unique("at", keep="first", maintain_order=True).rename({"row": _ENTRY, "at": "right"})
        met = rows.rename({"row": _ROW, "at": "left"}).join(found, on="left", maintain_order="left_right")
        met = met.join(first, on="right", maintain_order="left")
        return met.rename({"score": _SCORE, "rank": _RANK, "margin": _MARGIN}).drop("left", "right")

    def _filled(
        self, settings: LookUpAlikeSettings, name: str, dtype: pl.DataType, schema: pl.Schema, missed: pl.Expr
    ) -> list[pl.Expr]:
        if settings.missing == "empty":
            return [pl.col(name)]
        own = settings.fields[0].column
        if not isinstance(dtype, pl.String) or (
            settings.missing == "keep" and not isinstance(schema[own], pl.String)
        ):
            raise Problem(
                f"“{name}”",
                "it holds no text, so nothing else can stand in it.",
                "Leave it empty without a match.",
                field="missing",
            )
        other = pl.col(own) if settings.missing == "keep" else pl.lit(settings.text)
        return [pl.when(missed).then(other).otherwise(pl.col(name)).alias(name)]

    def _counts(
        self, settings: LookUpAlikeSettings, unmatched: pl.LazyFrame, doubtful: pl.LazyFrame
    ) -> tuple[Count, ...]:
        keys = list(dict.fromkeys(one.column for one in settings.fields))
        return (
            *missed_counts(unmatched.select(keys), listed(keys)),
            Count(
                "doubtful",
                doubtful.select(pl.len()),
                f"{{n}} matches to look at: little above {settings.least} %, or little ahead of the next",
                one=f"{{n}} match to look at: little above {settings.least} %, or little ahead of the next",
                side="doubtful",
            ),
        )

    def reads(self, settings: LookUpAlikeSettings, wanted: Wanted, port: str) -> Wanted:
        if wanted is None:
            return None
        if port == "reference":
            return frozenset([*(f.reference for f in settings.fields), *(b.column for b in settings.bring)])
        names = [*(b.called() for b in settings.bring), settings.likeness, settings.rank, settings.margin]
        return also(wanted, [*(f.column for f in settings.fields), *(n.strip() for n in names if n.strip())])

    def spread(self, settings: LookUpAlikeSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        if settings.take == "once":
            return WHOLE
        return Spread("rows", undivided=frozenset({"unmatched_other", "open"}))

    def sentence(self, settings: LookUpAlikeSettings) -> str:
        pairs = [f"{one.column or '…'} like {one.reference or '…'}" for one in settings.fields]
        ways = {MEASURES[one.measure] for one in settings.fields}
        by = f" by {ways.pop()}" if len(ways) == 1 and "letters" not in ways else ""
        return f"{listed(pairs) or '…'}{by} · at least {settings.least} %"


def _distinct(rows: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Rows with which of the distinct ones they are (columns `row` and `at`), and the distinct ones."""
    some = rows.unique(maintain_order=True)
    at = rows.join(some.with_row_index("at"), on=rows.columns, nulls_equal=True, maintain_order="left")
    return at.select("at").with_row_index("row"), some


def _each(rows: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame]:
    places = pl.int_range(rows.height, dtype=pl.UInt32, eager=True)
    return pl.DataFrame({"row": places, "at": places}), rows


def _is_doubtful(least: float) -> pl.Expr:
    return (pl.col(_SCORE) < least + _DOUBTFUL) | (pl.col(_MARGIN) < _DOUBTFUL)


def _keys(rows: pl.DataFrame) -> pl.Series:
    """What a row is called in questions and answers: the texts of its fields."""
    filled = [pl.when(pl.col(name).str.strip_chars() != "").then(name).fill_null("") for name in rows.columns]
    return rows.select(question_key(filled).alias("key")).to_series()


def _decided(
    some: pl.DataFrame, entries: pl.DataFrame, decided: Mapping[str, str], *, once: bool = False
) -> pl.DataFrame:
    """The rows that somebody decided, each with the first entry of the text it was given; `right` is null
    where there is none.

    Args:
        once: of several rows that were given one text, each takes an entry of its own, as long as there are.
    """
    keys = pl.DataFrame({"key": _keys(some)}).with_row_index("left")
    keys = keys.filter(pl.col("key").is_in(list(decided)))
    answers = keys.with_columns(pl.col("key").replace_strict(decided, return_dtype=pl.String))
    named = pl.DataFrame({"key": _keys(entries)}).with_row_index("right")
    nth = pl.int_range(pl.len()).over("key") if once else pl.lit(0)
    first = named.with_columns(nth=pl.int_range(pl.len()).over("key"))
    met = answers.with_columns(nth=nth).join(first, on=["key", "nth"], how="left", maintain_order="left")
    return met.select(
        pl.col("left", "right").cast(pl.UInt32),
        pl.lit(100.0).alias("score"),
        pl.lit(1, pl.UInt32).alias("rank"),
        pl.lit(None, pl.Float64).alias("margin"),
    )


def _others_once(
    match: Callable[[pl.DataFrame, pl.DataFrame], pl.DataFrame],
    some: pl.DataFrame,
    entries: pl.DataFrame,
    decided: Mapping[str, str],
) -> pl.DataFrame:
    """What was decided, and the matches of the rows and entries that are left."""
    met = _decided(some, entries, decided, once=True)
    left, right = (
        side.with_row_index("at").filter(~pl.col("at").is_in(taken.drop_nulls().implode()))
        for side, taken in ((some, met["left"]), (entries, met["right"]))
    )
    found = match(left.drop("at"), right.drop("at"))
    places = (left["at"].gather(found["left"]), right["at"].gather(found["right"]).alias("right"))
    return _with(found.with_columns(places[0].alias("left"), places[1]), met)


def _with(found: pl.DataFrame, met: pl.DataFrame) -> pl.DataFrame:
    both = [found, met.drop_nulls("right").select(found.columns).cast(found.schema)]
    return pl.concat(both).sort("left", "rank", maintain_order=True)


def _open(
    near: pl.DataFrame,
    sides: Sequence[pl.DataFrame],
    settings: LookUpAlikeSettings,
    decided: Mapping[str, str],
) -> pl.DataFrame:
    """Doubtful matches that nobody decided yet, field by field as they stand here and there."""
    doubtful = near.filter(_is_doubtful(settings.least) & (pl.col(_RANK) == 1))
    fields = [
        pl.struct(
            pl.lit(one.column).alias("column"),
            pl.lit(one.reference).alias("other"),
            sides[0][str(n)].gather(doubtful[_ROW]).alias("here"),
            sides[1][str(n)].gather(doubtful[_ENTRY]).alias("there"),
        )
        for n, one in enumerate(settings.fields)
    ]
    lead = pl.format(", {} ahead of the next", pl.col(_MARGIN))
    asked = doubtful.select(
        _keys(sides[0]).gather(doubtful[_ROW]).alias("Name"),
        _keys(sides[1]).gather(doubtful[_ENTRY]).alias("Proposal"),
        pl.concat_str(pl.format("{} %", pl.col(_SCORE)), lead.fill_null("")).alias("Why"),
        pl.concat_list(fields).alias("Fields"),
    )
    fresh = asked.filter(~pl.col("Name").is_in(list(decided)))
    grouped = fresh.group_by("Name", maintain_order=True).agg(
        pl.len().alias("Rows"), pl.col("Proposal", "Why", "Fields").first()
    )
    return questions(grouped)
