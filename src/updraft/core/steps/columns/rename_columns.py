from collections.abc import Mapping
from typing import Any, Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.conditions import checked_pattern
from updraft.core.steps.given import Context, Result, Wanted
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Port, Tables
from updraft.core.steps.values.recode_values import Change


class RenameColumnsSettings(Settings):
    by: Literal["list", "typed", "rule"] = setting(
        "Names by",
        widget="choice",
        default="list",
        labels={"list": "a table", "typed": "a list typed here", "rule": "a rule"},
    )
    pairs: tuple[Change, ...] = setting(
        "Old and new names",
        "type them, or paste two columns from a spreadsheet",
        widget="changes",
        default=(),
        of="names",
        when={"by": ["typed"]},
    )
    old: str = setting("Old names in", widget="column", default="", port="names", when={"by": ["list"]})
    new: str = setting("New names in", widget="column", default="", port="names", when={"by": ["list"]})
    find: str = setting("Find", "in every name", widget="text", default="", when={"by": ["rule"]})
    instead: str = setting(
        "Replace with", "nothing takes it away", widget="text", default="", when={"by": ["rule"]}
    )
    pattern: bool = setting(
        "It is a pattern", "$1 is its first group", widget="flag", default=False, when={"by": ["rule"]}
    )
    case: Literal["keep", "lower", "upper", "title"] = setting(
        "Letters",
        widget="choice",
        default="keep",
        labels={"keep": "as is", "lower": "lower", "upper": "UPPER", "title": "Each Word"},
        when={"by": ["rule"]},
    )
    before: str = setting("Put before each", widget="text", default="", when={"by": ["rule"]})
    after: str = setting("Put behind each", widget="text", default="", when={"by": ["rule"]})


class RenameColumns(StepKind):
    """Rename columns by a list, another table that holds old names and new ones (an empty new name keeps the
    old), or by a rule for all names. Blanks at the ends go, doubled ones become one.
    """

    kind = "rename_columns"
    title = "Rename columns"
    summary = "Rename columns by a list of old and new names, or by a rule"
    words = ("rename", "header", "mapping", "dictionary", "labels", "column names", "by list")
    icon = "input-cursor-text"
    inputs = (Port(main=True), Port("names", "List of names"))
    Settings = RenameColumnsSettings

    def starting_settings(self) -> dict[str, Any]:
        return {**super().starting_settings(), "by": "typed"}  # no other table is taken unasked

    def ports(self, settings: RenameColumnsSettings) -> tuple[Port, ...]:
        return self.inputs if settings.by == "list" else self.inputs[:1]

    def _by_rule(self, table: pl.LazyFrame, settings: RenameColumnsSettings) -> Result:
        names = table.collect_schema().names()
        text = pl.col("name")
        if settings.find:
            find = checked_pattern(settings.find) if settings.pattern else settings.find
            text = text.str.replace_all(find, settings.instead, literal=not settings.pattern)
        match settings.case:
            case "lower":
                text = text.str.to_lowercase()
            case "upper":
                text = text.str.to_uppercase()
            case "title":
                text = text.str.to_titlecase()
        text = pl.lit(settings.before) + text.str.replace_all(r"\s+", " ").str.strip_chars() + settings.after
        found = pl.DataFrame({"name": names}).select(text).to_series().to_list()
        wrong = next((name for name in found if not name or found.count(name) > 1), None)
        if wrong is not None:
            raise Problem(
                f"“{wrong}”" if wrong else "A column",
                "two columns would have this name." if wrong else "it would have no name.",
                "Change the rule.",
                field="find",
            )
        return Result(
            table.select(pl.col(old).alias(new) for old, new in zip(names, found, strict=True)), touched=()
        )

    def apply(self, tables: Tables, settings: RenameColumnsSettings, context: Context) -> Result:
        if settings.by == "rule":
            return self._by_rule(tables.main, settings)
        if settings.by == "typed":
            if not settings.pairs:
                raise Problem(
                    "The names", "there is none yet.", "Type old and new ones.", field="pairs",
                    code="unfinished",
                )  # fmt: skip
            return self._by_pairs(tables.main, [(one.old, one.new) for one in settings.pairs], "pairs")
        table, names = tables.main, tables["names"]
        for field, column in (("old", settings.old), ("new", settings.new)):
            if not column:
                raise Problem(
                    "The list",
                    f"the column that holds the {field} names is not chosen yet.",
                    "Choose it.",
                    field=field,
                    code="unfinished",
                )
            need_columns([column], names.collect_schema(), field=field)
        # The names of the result depend on the list's values, so the list is computed here; it is small.
        pairs = names.select(
            pl.col(settings.old).cast(pl.String), pl.col(settings.new).cast(pl.String).alias("\0new")
        ).collect()
        return self._by_pairs(table, list(pairs.iter_rows()), "new")

    def _by_pairs(self, table: pl.LazyFrame, pairs: list[tuple[str, str]], field: str) -> Result:
        changes: dict[str, str] = {}
        for old, new in pairs:
            if old is None or not (new or "").strip():
                continue
            if changes.setdefault(old, new.strip()) != new.strip():
                raise Problem(
                    f"“{old}”", "the list has two new names for it.", "Leave one of them.", field=field
                )
        known = table.collect_schema().names()
        found = [changes.get(name, name) for name in known]
        double = next((name for name in found if found.count(name) > 1), None)
        if double is not None:
            raise Problem(
                f"“{double}”",
                "two columns would have this name.",
                "Change one of them in the list.",
                field=field,
            )
        missing = [old for old in changes if old not in known]
        said = (f"{listed(missing)}: in the list, but not in the table.",) if missing else ()
        return Result(
            table.rename({old: new for old, new in changes.items() if old in known}),
            touched=(),
            warnings=said,
        )

    def reads(self, settings: RenameColumnsSettings, wanted: Wanted, port: str) -> Wanted:
        return frozenset({settings.old, settings.new}) if port == "names" else None

    def spread(self, settings: RenameColumnsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: RenameColumnsSettings) -> str:
        if settings.by == "list":
            return f"{settings.old or '…'} → {settings.new or '…'}, by the list"
        if settings.by == "typed":
            return listed([f"{one.old} → {one.new}" for one in settings.pairs], 2) or "no names yet"
        case = {"keep": "", "lower": "lower case", "upper": "upper case", "title": "each word capital"}
        told = [
            f"{settings.find} → {settings.instead or 'nothing'}" if settings.find else "",
            case[settings.case],
            f"{settings.before}…{settings.after}" if settings.before or settings.after else "",
        ]
        return ", ".join(text for text in told if text) or "no rule yet"
