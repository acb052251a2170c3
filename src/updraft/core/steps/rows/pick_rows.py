from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_new
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Out, Tables
from updraft.core.steps.texts import text_of

_KEY = "\0key"  # a name no file can bring


class Picked(Settings):
    key: tuple[str, ...] = setting("Values of the key", "one a line, in the order of its columns", default=())


class PickRowsSettings(Settings):
    keys: tuple[str, ...] = setting(
        "Rows are known by",
        "columns that tell each row from all others",
        widget="names",
        default=(),
        needs="some",
    )
    rows: tuple[Picked, ...] = setting(
        "Picked rows",
        "in the table, while they are marked: the space bar picks a row, or those selected",
        widget="picked",
        default=(),
    )
    do: Literal["mark", "keep", "drop"] = setting(
        "They are",
        widget="choice",
        default="mark",
        labels={"mark": "marked", "keep": "kept", "drop": "dropped"},
    )
    name: str = setting("Name of the new column", widget="text", default="Picked", when={"do": ["mark"]})


class PickRows(StepKind):
    """Mark, keep or drop rows that somebody picked by hand. They are held by the columns that tell rows from
    each other, so that they are found again when the table comes anew; those that are not there are said.
    """

    kind = "pick_rows"
    title = "Pick rows"
    summary = "Mark, keep or drop rows that you pick by hand"
    words = ("select rows", "star", "flag", "tick", "by hand", "manual", "checkbox", "delete rows")
    icon = "check2-square"
    made_for = "rows"
    outputs = (Out(main=True), Out("missing", "Picked rows that are not there"))
    Settings = PickRowsSettings

    def apply(self, tables: Tables, settings: PickRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        texts = [text_of(name, schema, field="keys").fill_null("") for name in settings.keys]
        wrong = next((one for one in settings.rows if len(one.key) != len(settings.keys)), None)
        if wrong is not None:
            raise Problem(
                f"The picked row “{listed(wrong.key)}”", f"the key has {len(settings.keys)} columns now.",
                "Pick the rows anew, or put the columns back.", field="keys",
            )  # fmt: skip
        alone = len(texts) == 1
        key = texts[0] if alone else pl.concat_str([_told(text) for text in texts])
        held = [one.key[0] if alone else "".join(map(_as_told, one.key)) for one in settings.rows]
        marked = table.with_columns(key.alias(_KEY))
        picked = pl.col(_KEY).is_in(pl.Series(held, dtype=pl.String).implode())
        there = marked.filter(picked).select(_KEY).group_by(_KEY).agg(pl.len().alias("n"))
        columns = {name: [one.key[n] for one in settings.rows] for n, name in enumerate(settings.keys)}
        all_held = pl.LazyFrame(
            {**columns, _KEY: held}, schema={**dict.fromkeys(columns, pl.String), _KEY: pl.String}
        )
        missing = all_held.join(there, on=_KEY, how="anti", maintain_order="left").drop(_KEY)
        counts = (
            Count(
                "not_there", missing.select(pl.len().cast(pl.Int64)),
                "{n} picked rows are not in the table that comes in", "warning",
                one="{n} picked row is not in the table that comes in", side="missing",
            ),
            Count(
                "not_alone", there.select((pl.col("n") > 1).sum().cast(pl.Int64)),
                "{n} picked keys stand in several rows: all of them are taken", "warning",
                one="{n} picked key stands in several rows: all of them are taken",
            ),
        )  # fmt: skip
        if settings.do == "mark":
            name = need_new(settings.name, schema, field="name")
            done = marked.with_columns(picked.alias(name)).drop(_KEY)
            return Result(done, {"missing": missing}, counts, ())
        kept = marked.filter(picked if settings.do == "keep" else ~picked).drop(_KEY)
        return Result(kept, {"missing": missing}, counts)

    def reads(self, settings: PickRowsSettings, wanted: Wanted, port: str) -> Wanted:
        fresh = [settings.name.strip()] if settings.do == "mark" else []  # it must not be there yet
        return also(wanted, [*settings.keys, *fresh])

    def sentence(self, settings: PickRowsSettings) -> str:
        many = f"{len(settings.rows):,} row{'' if len(settings.rows) == 1 else 's'}"
        does = {"mark": "marked", "keep": "kept", "drop": "dropped"}[settings.do]
        return f"{many} {does}, by {listed(settings.keys) or '…'}"


def _told(text: pl.Expr) -> pl.Expr:
    """A part of a key; the lengths keep “a” and “b” apart from “ab” and nothing."""
    return text.str.len_chars().cast(pl.String) + ":" + text


def _as_told(text: str) -> str:
    return f"{len(text)}:{text}"
