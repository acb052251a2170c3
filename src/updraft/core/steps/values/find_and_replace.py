import re
from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import ColumnChoice
from updraft.core.steps.conditions import checked_pattern
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind


class FindAndReplaceSettings(Settings):
    columns: ColumnChoice = setting(
        "Columns", widget="columns", default=ColumnChoice(by="types", types=(Kind.TEXT,)), kind="text"
    )
    find: str = setting("Find", widget="text", default="", needs="text", blanks=True)
    new: str = setting("Replace with", "nothing takes it away", widget="text", default="")
    how: Literal["part", "word", "cell", "pattern"] = setting(
        "What is found",
        widget="choice",
        default="part",
        labels={"part": "any part", "word": "whole words", "cell": "whole cells", "pattern": "a pattern"},
    )
    ignore_case: bool = setting("Ignore case", widget="flag", default=False)


class FindAndReplace(StepKind):
    """Replace parts of text. A pattern's groups may be used as $1, $2; text left without a character is
    empty.
    """

    kind = "find_and_replace"
    title = "Find and replace"
    summary = "Replace parts of text, by the letter or by a pattern"
    words = ("substitute", "regex", "regular expression", "remove text", "change text", "search")
    icon = "search"
    works_on = frozenset({Kind.TEXT})
    Settings = FindAndReplaceSettings

    def apply(self, tables: Tables, settings: FindAndReplaceSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        columns = [
            name
            for name in settings.columns.resolve(schema, only=Kind.TEXT)
            if isinstance(schema[name], pl.String)
        ]
        pattern, new = self._pattern(settings)
        return Result.by_value(table, dict.fromkeys(columns, lambda text: _replaced(text, pattern, new)))

    def _pattern(self, settings: FindAndReplaceSettings) -> tuple[str, str]:
        if settings.how == "pattern":
            pattern, new = checked_pattern(settings.find), settings.new
        else:
            pattern, new = re.escape(settings.find), settings.new.replace("$", "$$")
            pattern = {"word": rf"\b{pattern}\b", "cell": f"^{pattern}$"}.get(settings.how, pattern)
        return (f"(?i){pattern}" if settings.ignore_case else pattern), new

    def reads(self, settings: FindAndReplaceSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, settings.columns.names) if settings.columns.by == "names" else None

    def spread(self, settings: FindAndReplaceSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: FindAndReplaceSettings) -> str:
        return f"{settings.find or '…'} → {settings.new or 'nothing'} · {settings.columns.words()}"


def _replaced(text: pl.Expr, pattern: str, new: str) -> pl.Expr:
    done = text.str.replace_all(pattern, new)
    # What was empty text before is not this step's doing.
    return pl.when((done != "") | (text == "")).then(done)
