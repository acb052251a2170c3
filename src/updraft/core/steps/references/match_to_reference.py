from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.asking import asked_reference
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import need_new
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.opening import QUESTIONS, New, new_setting, open_questions, question_key, questions
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Out, Tables
from updraft.core.steps.texts import text_of

if TYPE_CHECKING:
    from updraft.core.connect.reconciling import Candidate, Query

NEW, LEFT = "(new)", "(left)"  # answers besides “identifier name”
_MOST = 50_000  # names asked for
_KEY, _PART = "\0key", "\0part"  # names no file can bring


class Evidence(Settings):
    property: str = setting("Property", "of the reference", widget="property", default="")
    column: str = setting("agrees with", widget="column", default="")


class MatchSettings(Settings):
    connection: str = setting("Reference", widget="connection", default="", of="web")
    column: str = setting("Match the names in", widget="column", default="", needs="one", fits="text")
    type: str = setting(
        "Kind of thing", "as the reference calls it; empty takes any", widget="thing", default=""
    )
    evidence: tuple[Evidence, ...] = setting("Evidence", widget="items", default=(), one="evidence")
    least: float | None = setting(
        "Sure from a score of",
        "and ahead of the next; empty leaves it to the reference",
        widget="number",
        default=None,
        minimum=0,
        open="as the reference says",
    )
    name: str = setting("Column for its name", "empty makes none", widget="text", default="Matched name")
    identity: str = setting("Column for its identifier", widget="text", default="Matched id")
    score: str = setting("Column for the score", "empty makes none", widget="text", default="")
    new: New = new_setting("names that are not sure")


class Found(NamedTuple):
    """What a name was found to be; an empty identifier where it is nothing known."""

    id: str
    name: str
    score: float | None


@dataclass(frozen=True)
class _Asked:
    """The distinct names with their evidence: `keys` tell them apart, `rows` counts them, `fields`
    are as in `QUESTIONS`.
    """

    keys: list[str]
    queries: list[Query]
    rows: list[int]
    fields: pl.Series


class MatchToReference(StepKind):
    """Find out which thing of a reference each name means, by the open Reconciliation Service API. What is
    sure is taken; what is not waits for you: take a proposal, search, call it new, or leave it.
    """

    kind = "match_to_reference"
    version = 2
    title = "Match to reference"
    summary = "Find the identifiers of names in a reference that others maintain"
    words = ("reconcile", "authority file", "entity", "identifier", "wikidata", "taxonomy", "lookup", "link")
    icon = "patch-check"
    desk = "review"
    needs = frozenset({"outside", "whole", "decisions"})
    outputs = (Out(main=True), Out("open", "Names to decide"), Out("unmatched", "Rows without a match"))
    Settings = MatchSettings

    def apply(self, tables: Tables, settings: MatchSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        told = [one for one in settings.evidence if one.property and one.column]
        evidence = [text_of(one.column, schema, field="evidence") for one in told]
        names = _new_columns(settings, schema)
        parts = [pl.col(settings.column).str.strip_chars().replace("", None), *evidence]
        asked = _asked(table, parts, [one.property for one in told], settings)
        decided = context.decisions
        unknown = [key not in decided for key in asked.keys]
        answers: list[list[Candidate] | Problem] = []
        if any(unknown):
            with asked_reference(context, settings.connection) as reference:
                answers = reference.candidates(asked.queries, unknown)
        failed = [one for one in answers if isinstance(one, Problem)]
        why = failed[0].reason if failed else ""
        offered = [[] if isinstance(one, Problem) else one for one in answers or [[]] * len(unknown)]
        found = {
            key: _found(candidates, decided.get(key), settings.least)
            for key, candidates in zip(asked.keys, offered, strict=True)
        }
        doubtful = [place for place, key in enumerate(asked.keys) if found[key] is None]
        met = table.with_columns(_key(parts).alias(_KEY)).join(
            _answers(asked.keys, found), on=_KEY, how="left", maintain_order="left"
        )
        fresh = {name: pl.col(f"{_PART}{what}") for what, name in names.items()}
        without = met.filter(pl.col(f"{_PART}id").is_null())
        told_new = sum(decided.get(key) == NEW for key in asked.keys)
        counts = (
            Count(
                "unmatched", without.select(pl.len()), "{n} rows without a match", "warning",
                one="{n} row without a match", side="unmatched",
            ),
            Count(
                "unanswered", pl.LazyFrame({"n": [len(failed)]}),
                f"{{n}} names were not answered, so they are open: {why}", "warning",
                one=f"{{n}} name was not answered, so it is open: {why}",
            ),
            Count("new", pl.LazyFrame({"n": [told_new]}), "{n} names are new", one="{n} name is new"),
            open_questions(
                len(doubtful), settings.new, len(decided) > 0,
                f"{{n}} names in {settings.column} are not sure",
                f"{{n}} name in {settings.column} is not sure",
            ),
        )  # fmt: skip
        sides = {"open": _open(asked, offered, doubtful).lazy(), "unmatched": without.select(schema.names())}
        result = met.select(*schema, *(expression.alias(name) for name, expression in fresh.items()))
        return Result(result, sides, counts, (), tuple(fresh))

    def reads(self, settings: MatchSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column, *(one.column for one in settings.evidence)])

    def sentence(self, settings: MatchSettings) -> str:
        kind = f" · {settings.type}" if settings.type else ""
        return f"{settings.column or '…'} in {settings.connection or 'no reference yet'}{kind}"


def _new_columns(settings: MatchSettings, schema: pl.Schema) -> dict[str, str]:
    """What of a match → the column it becomes."""
    wanted = {"name": settings.name, "id": settings.identity, "score": settings.score}
    made: dict[str, str] = {}
    for what, name in wanted.items():
        if name.strip() or what == "id":
            field = {"id": "identity"}.get(what, what)
            made[what] = need_new(name, [*schema, *made.values()], field=field)
    return made


def _key(parts: Sequence[pl.Expr]) -> pl.Expr:
    """A name as people decide on it: with its evidence where there is some. Null where the name is."""
    return pl.when(parts[0].is_not_null()).then(question_key(parts))


def _asked(
    table: pl.LazyFrame, parts: Sequence[pl.Expr], properties: Sequence[str], settings: MatchSettings
) -> _Asked:
    texts = {f"{_PART}{n}": part for n, part in enumerate(parts)}
    columns = [settings.column, *(one.column for one in settings.evidence if one.property and one.column)]
    fields = [
        pl.struct(pl.lit(name).alias("column"), pl.col(name).cast(pl.String).alias("here"))
        for name in columns
    ]
    counted = (
        table.select(_key(parts).alias(_KEY), pl.concat_list(fields).alias("\0fields"), **texts)
        .filter(pl.col(_KEY).is_not_null())
        .group_by(_KEY, maintain_order=True)
        .agg(pl.len().alias("\0n"), pl.all().first())
        .collect()
    )
    if counted.height > _MOST:
        raise Problem(
            f"Column “{settings.column}”",
            f"it has {counted.height:,} different names; {_MOST:,} at most are asked for.",
            "Keep fewer rows before, or match a column of fewer values.",
            field="column",
            code="too_many",
        )
    from updraft.core.connect.reconciling import Query

    queries = []
    for text, *evidence in counted.select(*texts).iter_rows():
        told = zip(properties, evidence, strict=True)
        queries.append(Query(text, settings.type, tuple((p, v) for p, v in told if v)))
    return _Asked(counted[_KEY].to_list(), queries, counted["\0n"].to_list(), counted["\0fields"])


def _found(candidates: Sequence[Candidate], answer: str | None, least: float | None) -> Found | None:
    """What a name is: as decided, else the best candidate where it is sure; None where nobody can say."""
    if answer in (NEW, LEFT):
        return Found("", "", None)
    if answer:
        key, _, name = answer.partition(" ")
        return Found(key, name, None)
    if not candidates:
        return None
    best = candidates[0]
    ahead = len(candidates) == 1 or best.score > candidates[1].score
    if best.sure or (least is not None and best.score >= least and ahead):
        return Found(best.id, best.name, best.score)
    return None


def _answers(keys: Sequence[str], found: Mapping[str, Found | None]) -> pl.LazyFrame:
    rows = [found[key] or Found("", "", None) for key in keys]
    return pl.LazyFrame(
        {
            _KEY: pl.Series(list(keys), dtype=pl.String),
            f"{_PART}name": pl.Series([row.name or None for row in rows], dtype=pl.String),
            f"{_PART}id": pl.Series([row.id or None for row in rows], dtype=pl.String),
            f"{_PART}score": pl.Series([row.score for row in rows], dtype=pl.Float64),
        }
    )


def _open(asked: _Asked, offered: Sequence[Sequence[Candidate]], doubtful: Sequence[int]) -> pl.DataFrame:
    rows = []
    for place in doubtful:
        near = offered[place]
        best = f"{near[0].id} {near[0].name}" if near else ""
        said = f"score {near[0].score:g} · {near[0].about}" if near else "the reference knows nothing like it"
        listed = [{"id": one.id, "name": one.name, "score": one.score, "about": one.about} for one in near]
        rows.append((asked.keys[place], asked.rows[place], best, said, listed))
    told = {name: QUESTIONS[name] for name in ("Name", "Rows", "Proposal", "Why", "Candidates")}
    made = pl.DataFrame(rows, schema=told, orient="row")
    return questions(made.with_columns(asked.fields.gather(list(doubtful)).alias("Fields")))
