from collections.abc import Mapping
from typing import Literal

import polars as pl

from updraft.core.letters import plain
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import ColumnChoice
from updraft.core.steps.given import Context, Result, Wanted, also
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values import Kind

# UTF-8 read in another encoding always leaves one of these before its other letters.
BROKEN = (
    r"[\u{c2}-\u{f4}\u{192}\u{161}\u{111}]"
    r"[\u{80}-\u{bf}\u{152}-\u{17e}\u{192}\u{2c6}-\u{2dc}\u{2013}-\u{203a}\u{20ac}\u{2122}]"
)
# Blanks beyond ASCII that look like one: White_Space of Unicode (which \s covers) and the zero-width ones.
_ZERO_WIDTH = r"[\u{200b}\u{200c}\u{200d}\u{2060}\u{feff}]"


class TidyTextSettings(Settings):
    columns: ColumnChoice = setting(
        "Columns", widget="columns", default=ColumnChoice(by="types", types=(Kind.TEXT,)), kind="text"
    )
    trim: bool = setting("Trim blanks at both ends", widget="flag", default=True)
    collapse: bool = setting(
        "Make runs of blanks one", "non-breaking and zero-width blanks too", widget="flag", default=True
    )
    case: Literal["keep", "lower", "upper", "title", "first"] = setting(
        "Letters",
        widget="choice",
        default="keep",
        labels={"keep": "as is", "lower": "lower", "upper": "UPPER", "title": "Each Word", "first": "First"},
    )
    accents: bool = setting("Remove accents", "é becomes e", widget="flag", default=False)
    control: bool = setting("Remove control characters", widget="flag", default=False)
    mend: bool = setting(
        "Mend broken letters",
        "Ã© becomes é: text that was read in a wrong encoding",
        widget="flag",
        default=False,
    )
    zeros: Literal["keep", "strip", "pad"] = setting(
        "Zeros before digits",
        widget="choice",
        default="keep",
        labels={"keep": "as is", "strip": "none", "pad": "fill up"},
    )
    digits: int = setting(
        "Fill up to",
        "signs in all, for values of digits alone",
        widget="number",
        default=5,
        minimum=1,
        when={"zeros": ["pad"]},
    )


class TidyText(StepKind):
    """Tidy the writing of text: blanks, case, accents, control characters. Text left without a character is
    empty.
    """

    kind = "tidy_text"
    version = 2
    title = "Tidy text"
    summary = "Trim and collapse blanks, change case, remove accents or control characters"
    words = (
        "trim",
        "clean",
        "whitespace",
        "spaces",
        "case",
        "upper",
        "lower",
        "proper",
        "strip",
        "accents",
        "nbsp",
    )
    icon = "magic"
    works_on = frozenset({Kind.TEXT})
    Settings = TidyTextSettings

    def apply(self, tables: Tables, settings: TidyTextSettings, context: Context) -> Result:
        table = tables.main
        schema = table.collect_schema()
        columns = [
            c for c in settings.columns.resolve(schema, only=Kind.TEXT) if isinstance(schema[c], pl.String)
        ]
        return Result.by_value(table, dict.fromkeys(columns, lambda text: tidied(text, settings)))

    def reads(self, settings: TidyTextSettings, wanted: Wanted, port: str) -> Wanted:
        return also(wanted, settings.columns.names) if settings.columns.by == "names" else None

    def spread(self, settings: TidyTextSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: TidyTextSettings) -> str:
        does = [
            words
            for on, words in (
                (settings.trim, "trim"),
                (settings.collapse, "one blank"),
                (
                    settings.case != "keep",
                    {
                        "lower": "lower case",
                        "upper": "upper case",
                        "title": "each word capital",
                        "first": "first letter capital",
                    }.get(settings.case, ""),
                ),
                (settings.accents, "no accents"),
                (settings.control, "no control characters"),
                (settings.mend, "mend letters"),
                (settings.zeros == "strip", "no leading zeros"),
                (settings.zeros == "pad", f"{settings.digits} digits"),
            )
            if on
        ]
        return f"{settings.columns.words()} · {', '.join(does) or 'nothing chosen'}"


def tidied(text: pl.Expr, settings: TidyTextSettings) -> pl.Expr:
    """The text tidied as the settings say; null where no character is left."""
    if settings.mend:
        text = text.map_batches(_mended, return_dtype=pl.String(), is_elementwise=True)
    if settings.control:
        text = text.str.replace_all(r"[\p{Cc}--[\t\n\r]]", "").str.replace_all(r"[\t\n\r]+", " ")
    if settings.collapse:
        text = text.str.replace_all(_ZERO_WIDTH, "").str.replace_all(r"\s+", " ")
    if settings.trim:
        text = text.str.strip_chars()
    if settings.accents:
        text = plain(text)
    if settings.zeros == "strip":
        text = text.str.replace(r"^0+(\d+)$", "$1")
    elif settings.zeros == "pad":
        text = pl.when(text.str.contains(r"^\d+$")).then(text.str.zfill(settings.digits)).otherwise(text)
    match settings.case:
        case "lower":
            text = text.str.to_lowercase()
        case "upper":
            text = text.str.to_uppercase()
        case "title":
            text = text.str.to_titlecase()
        case "first":
            text = text.str.slice(0, 1).str.to_uppercase() + text.str.slice(1).str.to_lowercase()
    return pl.when(text.str.len_bytes() > 0).then(text)


def _mended(values: pl.Series) -> pl.Series:
    """Undo wrong decodings; only values with a sign that such text always has are looked at."""
    suspect = values.str.contains(BROKEN).fill_null(False)
    if not suspect.any():
        return values
    from ftfy import fix_encoding

    mended = [fix_encoding(text) for text in values.filter(suspect)]
    return values.scatter(suspect.arg_true(), pl.Series(mended, dtype=pl.String))
