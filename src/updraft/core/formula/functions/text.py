"""Functions of text. Where the text is empty, so is the result."""

from __future__ import annotations

import html
import re
from collections.abc import Callable

import polars as pl

from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term
from updraft.core.letters import plain as unmarked
from updraft.core.problems import wrong_pattern
from updraft.core.values import Kind
from updraft.core.values.convert import pattern_of

LONGEST = 10_000  # characters that a text is filled up to


def _text(expr: pl.Expr) -> Term:
    return Term(expr, Kind.TEXT)


def pattern(term: Term) -> str:
    """A regular expression written in a formula. Raises Misfit where it is none."""
    text = str(term.constant)
    try:
        pl.select(pl.lit("").str.contains(text))
    except pl.exceptions.PolarsError:
        raise Misfit(f"“{text}” is not a pattern: {wrong_pattern(text)}.", "Mend the pattern.") from None
    return text


@function("text: text", "all letters large", "upper('pea')", "PEA")
def upper(text: Term) -> Term:
    return _text(text.expr.str.to_uppercase())


@function("text: text", "all letters small", "lower('PEA')", "pea")
def lower(text: Term) -> Term:
    return _text(text.expr.str.to_lowercase())


@function("text: text", "each word with a large first letter", "title('bay gem')", "Bay Gem")
def title(text: Term) -> Term:
    return _text(text.expr.str.to_titlecase())


# Words that titles keep small within, in several languages.
SMALL_WORDS = (
    *("a", "an", "and", "as", "at", "but", "by", "for", "from", "in", "nor", "of", "on", "or", "the", "to"),
    "with",
    *("de", "des", "du", "et", "la", "le", "les", "del", "der", "die", "das", "und", "von", "zu"),
    *("e", "y", "o", "da", "do", "dos", "di", "della", "il", "i"),
)  # fmt: skip


@function(
    "text: text",
    "as a title: each word large but small ones within",
    "headline('SONG OF THE BAY')",
    "Song of the Bay",
)
def headline(text: Term) -> Term:
    made = text.expr.str.to_titlecase()
    for word in SMALL_WORDS:  # behind a blank and before one: no title begins or ends with a small word
        made = made.str.replace_all(f" {word.capitalize()} ", f" {word} ", literal=True)
    return _text(made)


@function("text: text", "without blanks at the ends", "trim('  pea ')", "pea")
def trim(text: Term) -> Term:
    return _text(text.expr.str.strip_chars())


@function("text: text", "one blank between words, none at the ends", "tidy(' bay   gem ')", "bay gem")
def tidy(text: Term) -> Term:
    return _text(text.expr.str.replace_all(r"\s+", " ").str.strip_chars())


@function("text: text", "letters without their accents", "plain('Crème')", "Creme")
def plain(text: Term) -> Term:
    return _text(unmarked(text.expr))


@function("text: text", "how many characters", "length('pea')", "3")
def length(text: Term) -> Term:
    return Term(text.expr.str.len_chars().cast(pl.Int64), Kind.WHOLE)


@function("text: text, count: whole", "its first characters", "first('GZ-1042', 2)", "GZ")
def first(text: Term, count: Term) -> Term:
    return _text(text.expr.str.head(count.expr))


@function("text: text, count: whole", "its last characters", "last('GZ-1042', 4)", "1042")
def last(text: Term, count: Term) -> Term:
    return _text(text.expr.str.tail(count.expr))


@function(
    "text: text, start: whole, count: whole", "characters from a place on", "middle('GZ-1042', 4, 2)", "10"
)
def middle(text: Term, start: Term, count: Term) -> Term:
    at, many = start.expr.cast(pl.Int64), count.expr.cast(pl.Int64)
    # A place before the first takes what of the stretch lies within.
    return _text(text.expr.str.slice((at - 1).clip(0), (many + (at - 1).clip(None, 0)).clip(0)))


@function(
    "text: text, mark: text!",
    "up to the first mark; all where there is none",
    "before('12 x 5 g', 'x')",
    "12 ",
)
def before(text: Term, mark: Term) -> Term:
    found = text.expr.str.splitn(_mark(mark), 2).struct.field("field_0")
    return _text(found)


@function(
    "text: text, mark: text!",
    "what follows the first mark; empty where there is none",
    "after('12 x 5 g', 'x')",
    " 5 g",
)
def after(text: Term, mark: Term) -> Term:
    return _text(text.expr.str.splitn(_mark(mark), 2).struct.field("field_1"))


@function(
    "text: text, start: text!, end: text!",
    "what stands between two marks",
    "between('Peas (dry)', '(', ')')",
    "dry",
)
def between(text: Term, start: Term, end: Term) -> Term:
    opened = text.expr.str.splitn(_mark(start), 2).struct.field("field_1")
    parts = opened.str.splitn(_mark(end), 2).struct
    return _text(pl.when(parts.field("field_1").is_not_null()).then(parts.field("field_0")))


@function(
    "text: text, mark: text!, place: whole!",
    "a part of what marks split; -1 is the last",
    "part('a/b/c', '/', 2)",
    "b",
)
def part(text: Term, mark: Term, place: Term) -> Term:
    return _text(at_place(text.expr.str.split(_mark(mark)), place, "parts"))


def at_place(items: pl.Expr, place: Term, what: str) -> pl.Expr:
    """One of a list, counted from 1, or from -1 at its end; empty where there is none."""
    at = int(place.constant)
    if at == 0:
        raise Misfit(f"{what} are counted from 1, or from -1 at the end.", "Use 1 for the first.")
    return items.list.get(at - 1 if at > 0 else at, null_on_oob=True)


def _mark(mark: Term) -> str:
    if not mark.constant:
        raise Misfit("the mark has no character.", "Type the mark.")
    return str(mark.constant)


@function("text: text, old: text, new: text", "each old replaced by new", "replace('1-2-3', '-', '')", "123")
def replace(text: Term, old: Term, new: Term) -> Term:
    if not old.is_constant:
        raise Misfit("what is replaced must be written out here.", "Type it, not a column.")
    if isinstance(text.constant, str) and isinstance(new.constant, str):
        # Polars makes a column of one row of it, which stands beside no other.
        return _text(pl.lit(text.constant.replace(_mark(old), new.constant)))
    instead = new.expr.fill_null("")
    # A text that is written out is made as long as the column that goes into it: Polars does not do it here.
    whole = text.expr if new.is_constant else pl.concat_str(text.expr, instead.str.head(0))
    fresh = whole.str.replace_all(_mark(old), instead, literal=True)
    return _text(pl.when(new.expr.is_not_null()).then(fresh))


@function(
    "text: text, pattern: text!, new: text!",
    "what fits a pattern replaced",
    "replace_pattern('a1b22', '[0-9]+', '#')",
    "a#b#",
)
def replace_pattern(text: Term, pattern_: Term, new: Term) -> Term:
    return _text(text.expr.str.replace_all(pattern(pattern_), str(new.constant)))


@function(
    "text: text, pattern: text!",
    "the first that fits a pattern, or its group",
    "extract('lot 1042 b', '[0-9]+')",
    "1042",
)
def extract(text: Term, pattern_: Term) -> Term:
    found = pattern(pattern_)
    return _text(text.expr.str.extract(found if _has_group(found) else f"({found})", 1))


def _has_group(pattern: str) -> bool:
    """Whether a bracket in it takes out a part: one that is neither escaped nor a sign among others."""
    bare = re.sub(r"\[\^?\]?[^\]]*\]", "", re.sub(r"\\.", "", pattern, flags=re.DOTALL))
    return re.search(r"\((?!\?)|\(\?P?<[A-Za-z]", bare) is not None


@function("text: text, part: text", "whether a part stands in it", "contains('Bay Gem', 'Gem')", "yes")
def contains(text: Term, part: Term) -> Term:
    return Term(text.expr.str.contains(part.expr, literal=True), Kind.YES_NO)


@function("text: text, part: text", "whether it begins so", "starts('GZ-1042', 'GZ')", "yes")
def starts(text: Term, part: Term) -> Term:
    return Term(text.expr.str.starts_with(part.expr), Kind.YES_NO)


@function("text: text, part: text", "whether it ends so", "ends('GZ-1042', '42')", "yes")
def ends(text: Term, part: Term) -> Term:
    return Term(text.expr.str.ends_with(part.expr), Kind.YES_NO)


@function(
    "text: text, pattern: text!",
    "whether all of it fits a pattern",
    "fits('GZ-1042', '[A-Z]+-[0-9]+')",
    "yes",
)
def fits(text: Term, pattern_: Term) -> Term:
    return Term(text.expr.str.contains(f"^(?:{pattern(pattern_)})$"), Kind.YES_NO)


@function("text: text, part: text!", "how often a part stands in it", "occurs('a-b-c', '-')", "2")
def occurs(text: Term, part: Term) -> Term:
    return Term(text.expr.str.count_matches(_mark(part), literal=True).cast(pl.Int64), Kind.WHOLE)


@function("text: text, length: whole!, sign: text! = '0'", "filled up at the front", "pad('42', 5)", "00042")
def pad(text: Term, length: Term, sign: Term) -> Term:
    return _text(text.expr.str.pad_start(*filling(length, sign)))


def filling(length: Term, sign: Term) -> tuple[int, str]:
    """How far a text is filled up, and with what; Misfit where it is no sign, or too far."""
    if len(str(sign.constant)) != 1:
        raise Misfit("the sign to fill with must be one character.", "Type one, such as '0'.")
    if int(length.constant) > LONGEST:
        raise Misfit(f"{LONGEST:,} characters are the most.", "Use a smaller number.")
    return max(int(length.constant), 0), str(sign.constant)


@function(
    "mark: text!, *parts: any",
    "parts put together with a mark, empty ones left out",
    "joined(' ', 'Bay', None, 'Gem')",
    "Bay Gem",
)
def joined(mark: Term, parts: list[Term]) -> Term:
    if not parts:
        raise Misfit("there is nothing to put together.", "Name the parts after the mark.")
    filled = [pl.when(text.str.contains(r"[^\s\u{a0}]")).then(text) for text in map(as_text, parts)]
    return _text(pl.concat_str(filled, separator=str(mark.constant), ignore_nulls=True))


@function(
    "text: text", "signs written for web pages as they are meant", "unescaped('pea &amp; bean')", "pea & bean"
)
def unescaped(text: Term) -> Term:
    whole = text.expr
    meant = whole.map_elements(html.unescape, return_dtype=pl.String)
    return _text(pl.when(whole.str.contains("&[#a-zA-Z0-9]+;")).then(meant).otherwise(whole))


@function(
    "text: text, mark: text!",
    "its parts between the marks, the last one first",
    "turned('a.b.c', '.')",
    "c.b.a",
)
def turned(text: Term, mark: Term) -> Term:
    return _of_parts(text, mark, lambda parts: parts.list.reverse())


@function(
    "text: text, mark: text!",
    "its parts between the marks, in the order of the alphabet",
    "sorted_parts('c;a;b', ';')",
    "a;b;c",
)
def sorted_parts(text: Term, mark: Term) -> Term:
    return _of_parts(text, mark, lambda parts: parts.list.sort())


@function(
    "text: text, mark: text!",
    "its parts between the marks, each once",
    "parts_once('pea;bean;pea', ';')",
    "pea;bean",
)
def parts_once(text: Term, mark: Term) -> Term:
    return _of_parts(text, mark, lambda parts: parts.list.unique(maintain_order=True))


def _of_parts(text: Term, mark: Term, change: Callable[[pl.Expr], pl.Expr]) -> Term:
    sign = _mark(mark)
    return _text(change(text.expr.str.split(sign)).list.join(sign))


@function("value: any, format: text! = ''", "as text; dates by a format", "text(12.0)", "12")
def text(value: Term, format: Term) -> Term:
    if not format.constant:
        return _text(as_text(value))
    if value.kind not in (Kind.DATE, Kind.DATETIME):
        raise Misfit("only dates take a format.", "Leave the format out.")
    return _text(value.expr.dt.to_string(pattern_of(str(format.constant), year=False)))


@function(
    "value: any, place: whole! = 1",
    "the number that stands in a text: the first, or another",
    "number('12 x 5 g', 2)",
    "5",
)
def number(value: Term, place: Term) -> Term:
    if value.kind is not Kind.TEXT:
        if value.kind in (Kind.DATE, Kind.DATETIME, Kind.LIST, Kind.RECORD, Kind.DURATION):
            raise Misfit("no number can be read from this.", "Use day(…), month(…) or year(…) for dates.")
        return Term(value.expr.cast(pl.Float64), Kind.NUMBER)
    # A dash between letters or digits is no sign: LOT-12 holds 12.
    found = at_place(value.expr.str.replace_all(r"(\w)-", "$1 ").str.extract_all(NUMBER), place, "numbers")
    some = (
        pl.when(found.str.contains(r"^-?\d{1,3}(,\d{3})+(\.\d+)?$"))
        .then(found.str.replace_all(",", "", literal=True))
        .when(found.str.contains(r"\..*,"))
        .then(found.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True))
        .otherwise(found.str.replace(",", ".", literal=True))
        .cast(pl.Float64, strict=False)
    )
    return Term(pl.coalesce(_bare(value.expr), some) if place.constant == 1 else some, Kind.NUMBER)


# Many decimals; thousands apart by commas or by points; a few decimals or none.
NUMBER = r"-?(?:\d+[.,]\d{4,}|\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d{1,3}(?:\.\d{3})+,\d+|\d+(?:[.,]\d+)?)"


def _bare(text: pl.Expr) -> pl.Expr:
    """A text that is a number and nothing else, thousands marked or not; in brackets it is below zero."""
    stripped = text.str.strip_chars().str.replace(r"^\(\s*(\d[\d,.]*)\s*\)$", "-$1")
    grouped = stripped.str.contains(r"^-?\d{1,3}(,\d{3})+(\.\d+)?$")
    return (
        pl.when(grouped)
        .then(stripped.str.replace_all(",", ""))
        .otherwise(stripped)
        .cast(pl.Float64, strict=False)
    )


def as_text(term: Term) -> pl.Expr:
    """A term as a reader sees it: a whole number without a point, yes and no as words."""
    if term.kind is Kind.TEXT or term.kind is None:
        return term.expr.cast(pl.String)
    if term.kind is Kind.YES_NO:
        return pl.when(term.expr).then(pl.lit("yes")).when(~term.expr).then(pl.lit("no"))
    if term.kind is Kind.NUMBER:
        return term.expr.cast(pl.String).str.strip_suffix(".0")
    if term.kind is Kind.DATETIME:
        return term.expr.dt.to_string("%Y-%m-%d %H:%M:%S")
    if term.kind in (Kind.LIST, Kind.RECORD):
        raise Misfit("a list or a record is no text.", "Put a step “Expand lists” before.")
    return term.expr.cast(pl.String)
