from collections.abc import Mapping
from dataclasses import replace
from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.similarity.families import STRICTNESS, Proposal, Ways, proposed
from updraft.core.steps.base import StepKind
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.opening import QUESTIONS, New, new_setting, open_questions, questions
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import Spread
from updraft.core.steps.tables import Out, Tables
from updraft.core.values import Kind


class MergeLookAlikesSettings(Settings):
    column: str = setting("Column", widget="column", default="", needs="one", fits="text")
    letters: bool = setting("Alike but for case, accents, blanks and signs", widget="flag", default=True)
    words: bool = setting(
        "The same name in other words: shortened, with or without such as “Ltd”, a country in any language",
        widget="flag",
        default=True,
    )
    slips: bool = setting("A slip of the keyboard away from a frequent one", widget="flag", default=True)
    sound: bool = setting("Sounding the same in one of several languages", widget="flag", default=False)
    close: bool = setting("Close: few letters apart", widget="flag", default=False)
    strictness: float = setting(
        "Strictness",
        "how much of their letters close values share, from 0.5 to 1",
        widget="decimal",
        default=STRICTNESS,
        minimum=0.5,
        maximum=1,
        when={"close": [True]},
    )
    undecided: Literal["sure", "merge", "leave"] = setting(
        "What nobody has decided",
        widget="choice",
        default="sure",
        labels={
            "sure": "is merged where it is sure",
            "merge": "is merged as proposed",
            "leave": "stays as it is",
        },
    )
    new: New = new_setting("look-alikes")

    @property
    def ways(self) -> Ways:
        return Ways(self.letters, self.words, self.slips, self.sound, self.strictness if self.close else None)


class MergeLookAlikes(StepKind):
    """Give values that are likely one thing one name: the most frequent of each family, or the one that you
    decide. A value whose answer is itself is left out of its family.
    """

    kind = "merge_look_alikes"
    version = 5
    title = "Merge look-alikes"
    summary = "Give values that are likely one thing, written in several ways, one name"
    words = (
        "cluster",
        "fuzzy dedupe",
        "similar values",
        "spellings",
        "misspellings",
        "variants",
        "consolidate",
        "standardise",
    )
    icon = "collection"
    desk = "look_alikes"
    needs = frozenset({"whole", "decisions"})
    outputs = (Out(main=True), Out("open", "Look-alikes to decide"))
    works_on = frozenset({Kind.TEXT})
    Settings = MergeLookAlikesSettings

    def apply(self, tables: Tables, settings: MergeLookAlikesSettings, context: Context) -> Result:
        table, name = tables.main, settings.column
        ways = settings.ways
        if ways == Ways():
            raise Problem(
                "The ways of being alike",
                "none is chosen.",
                "Choose one.",
                field="letters",
                code="unfinished",
            )
        counted, found = proposed(table, name, ways, context.learnt)
        decided = context.decisions
        settled = set(decided.values())  # a name that somebody chose stays, however frequent another is
        fresh = [one for one in found if one.value not in decided and one.value not in settled]
        taken = [one for one in fresh if settings.undecided == "merge" or one.sure]
        merged = {one.value: one.name for one in taken if settings.undecided != "leave"}
        merged |= {value: answer for value, answer in decided.items() if answer != value}
        merged = {value: _last(value, merged) for value in merged}
        old, new = pl.Series(list(merged), dtype=pl.String), pl.Series(list(merged.values()), dtype=pl.String)
        done = Result.by_value(
            table,
            {name: lambda text: text.replace_strict(old, new, default=text, return_dtype=pl.String)},
            *self._counts(fresh, merged, counted, decided != {}, settings),
        )
        return replace(done, sides={"open": _open(fresh, counted).lazy()})

    def _counts(
        self,
        fresh: list[Proposal],
        merged: dict[str, str],
        counted: pl.DataFrame,
        decided: bool,
        settings: MergeLookAlikesSettings,
    ) -> tuple[Count, ...]:
        here = sum(value in merged for value in counted["value"])
        return (
            Count(
                "merged",
                _number(here),
                "{n} values get the name of another",
                one="{n} value gets the name of another",
                once=True,
            ),
            open_questions(
                len(fresh),
                settings.new,
                decided,
                f"{{n}} look-alikes are not decided in {settings.column}",
                f"{{n}} look-alike is not decided in {settings.column}",
            ),
        )

    def reads(self, settings: MergeLookAlikesSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [settings.column])

    def spread(self, settings: MergeLookAlikesSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return Spread("rows", learns=True, same=frozenset({"open"}))

    def sentence(self, settings: MergeLookAlikesSettings) -> str:
        on = (
            (settings.letters, "letters"),
            (settings.words, "words"),
            (settings.slips, "slips"),
            (settings.sound, "sound"),
            (settings.close, f"closeness from {settings.strictness:g}"),
        )
        how = " and ".join(word for chosen, word in on if chosen)
        return f"{settings.column or '…'} · by {how or '…'}"


def _last(value: str, merged: dict[str, str]) -> str:
    """Where a chain of names ends; a circle of answers ends where it began."""
    seen = {value}
    while merged[value] in merged and merged[value] not in seen:
        value = merged[value]
        seen.add(value)
    return merged[value]


def _open(fresh: list[Proposal], counted: pl.DataFrame) -> pl.DataFrame:
    rows = dict(counted.iter_rows())
    told = {name: QUESTIONS[name] for name in ("Name", "Rows", "Proposal", "Why")}
    asked = [(one.value, rows[one.value], one.name, one.why) for one in fresh]
    return questions(pl.DataFrame(asked, schema=told, orient="row"))


def _number(n: int) -> pl.LazyFrame:
    return pl.LazyFrame({"n": [n]})
