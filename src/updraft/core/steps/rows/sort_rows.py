from typing import Literal

import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Result, Settings, StepKind, Wanted, also, setting
from updraft.core.steps.choice import Order, listed, need_columns
from updraft.core.steps.tables import Tables
from updraft.core.values import is_blank

_WIDE = 24  # digits that a number inside a text is filled up to; longer ones are compared as text


_BEHIND = "\U0010fffd"  # sorts behind every letter
# Letters that a language does not sort beside those they look like (after the Unicode CLDR's collations).
_ORDERS: dict[str, dict[str, str]] = {
    "cs": {"ch": f"h{_BEHIND}", **{a: f"{b}{_BEHIND}" for a, b in zip("čřšž", "crsz", strict=True)}},
    "da": {
        letter: f"z{_BEHIND}{n}"
        for letter, n in (("æ", 1), ("ä", 1), ("ø", 2), ("ö", 2), ("å", 3), ("aa", 3))
    },
    "de": {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss"},
    "es": {"ñ": f"n{_BEHIND}"},
    "et": {"š": f"s{_BEHIND}", "z": f"s{_BEHIND}1", "ž": f"s{_BEHIND}2"}
    | {letter: f"w{_BEHIND}{n}" for n, letter in enumerate("õäöü")},
    "pl": {a: f"{b}{_BEHIND}" for a, b in zip("ąćęłńóśź", "acelnosz", strict=True)} | {"ż": f"z{_BEHIND}1"},
    "sv": {letter: f"z{_BEHIND}{n}" for n, letter in enumerate("åäö")},
}


class SortRowsSettings(Settings):
    order: tuple[Order, ...] = setting("By", "the first column counts most", widget="order", default=())
    text: Literal["natural", "letters", "signs"] = setting(
        "Text",
        "natural: A2 before A10, é beside e",
        widget="choice",
        default="natural",
        labels={"natural": "natural", "letters": "letter by letter", "signs": "by character code"},
    )
    language: Literal["any", "da", "de", "es", "et", "pl", "cs", "sv"] = setting(
        "Letters in the order of",
        widget="pick_one",
        default="any",
        labels={
            "any": "most languages: é beside e, ö beside o",
            "cs": "Czech and Slovak: č behind c, ch behind h",
            "da": "Danish and Norwegian: æ ø å last",
            "de": "German directories: ä as ae",
            "es": "Spanish: ñ behind n",
            "et": "Estonian: õ ä ö ü last",
            "pl": "Polish: ą behind a, ł behind l",
            "sv": "Swedish and Finnish: å ä ö last",
        },
        when={"text": ["natural", "letters"]},
    )
    empty: Literal["last", "first"] = setting(
        "Empty cells", widget="choice", default="last", labels={"last": "last", "first": "first"}
    )


class SortRows(StepKind):
    """Put the rows in order by one or more columns; rows that are equal in all of them stay as they stand."""

    kind = "sort_rows"
    title = "Sort rows"
    summary = "Put the rows in order by one or more columns"
    words = (
        "order by",
        "arrange",
        "ascending",
        "descending",
        "alphabetical",
        "rank",
        "largest first",
        "newest first",
    )
    icon = "sort-down"
    made_for = "order"
    Settings = SortRowsSettings

    def apply(self, tables: Tables, settings: SortRowsSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        if not settings.order:
            raise Problem(
                "The order",
                "no column is chosen yet.",
                "Choose the column to sort by.",
                field="order",
                code="unfinished",
            )
        need_columns([order.column for order in settings.order], schema, field="order")
        for order in settings.order:
            if schema[order.column].is_nested():
                raise Problem(
                    f"Column “{order.column}”",
                    "it holds lists or records, which have no order.",
                    "Choose another column.",
                    field="order",
                    code="no_order",
                )
        keys, down = [], []
        for order in settings.order:
            here = sort_keys(order.column, schema[order.column], settings.text, settings.language)
            keys += here
            down += [order.down] * len(here)
        return Result(
            table.sort(keys, descending=down, nulls_last=settings.empty == "last", maintain_order=True)
        )

    def reads(self, settings: SortRowsSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, [order.column for order in settings.order])

    def sentence(self, settings: SortRowsSettings) -> str:
        return (
            f"by {listed([order.words() for order in settings.order])}" if settings.order else "no column yet"
        )


def sort_keys(name: str, dtype: pl.DataType, text: str = "natural", language: str = "any") -> list[pl.Expr]:
    """What a column is compared by; text of nothing but blanks counts as empty.

    Natural: letters without accents and case, numbers inside by their size; where that is equal, the text
    itself.
    Letters: the same without the numbers.
    """
    column = pl.col(name)
    if isinstance(dtype, pl.Float32 | pl.Float64):
        return [pl.when(column.is_not_nan()).then(column)]
    if not isinstance(dtype, pl.String):
        return [column]
    column = pl.when(~is_blank(name, dtype)).then(column)
    if text == "signs":
        return [column]
    letters = _ORDERS.get(language)
    lower = column.str.strip_chars()
    if letters:  # before accents go; a sign behind all letters puts them behind the one they follow
        lower = (
            lower.str.normalize("NFC")
            .str.to_lowercase()
            .str.replace_many(list(letters), list(letters.values()))
        )
    folded = lower.str.normalize("NFKD").str.replace_all(r"\p{M}", "").str.to_lowercase()
    if text == "natural":
        part = pl.element()
        filled = pl.when(part.str.contains(r"^\d")).then(part.str.zfill(_WIDE)).otherwise(part)
        numbered = folded.str.extract_all(r"\d+|\D+").list.eval(filled).list.join("")
        folded = pl.when(folded.str.contains(r"\d")).then(numbered).otherwise(folded)
    return [folded, column]
