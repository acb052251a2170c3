"""Words and signs of a text: counting, choosing, taking away."""

from __future__ import annotations

import polars as pl

from updraft.core.formula.functions.text import _mark, _text, at_place, filling
from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term
from updraft.core.values import FORMATS, Kind
from updraft.core.values.convert import converted

# Addresses as people write them, not all that RFC 5322 and RFC 3986 allow.
EMAIL = r"[\p{L}\p{N}._%+-]+@[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)*\.\p{L}{2,}"
WEB = r"(?:https?://|www\.)[^\s<>\"']*[^\s<>\"'.,;:!?)\]]"


def _all(text: Term) -> pl.Expr:
    return text.expr.str.extract_all(r"\S+")


@function("text: text", "how many words", "words('bay gem pea')", "3")
def words(text: Term) -> Term:
    return Term(_all(text).list.len().cast(pl.Int64), Kind.WHOLE)


@function("text: text, place: whole!", "one of its words; -1 is the last", "word('bay gem pea', 2)", "gem")
def word(text: Term, place: Term) -> Term:
    return _text(at_place(_all(text), place, "words"))


@function(
    "text: text, mark: text!",
    "what follows the last mark; all where there is none",
    "after_last('a/b/c', '/')",
    "c",
)
def after_last(text: Term, mark: Term) -> Term:
    return _text(text.expr.str.split(_mark(mark)).list.last())


@function("text: text, signs: text!", "without any of these signs", "without('1-2/3', '-/')", "123")
def without(text: Term, signs: Term) -> Term:
    return _text(text.expr.str.replace_many(list(_mark(signs)), [""]))


@function("text: text", "its digits alone", "digits('LOT-12a')", "12")
def digits(text: Term) -> Term:
    return _text(text.expr.str.replace_all(r"\P{Nd}", ""))


@function("text: text", "its letters alone", "letters('LOT-12a')", "LOTa")
def letters(text: Term) -> Term:
    return _text(text.expr.str.replace_all(r"\P{L}", ""))


@function("text: text, part: text!", "the place of a part, from 1; empty where there is none",
          "position('GZ-1042', '-')", "3")  # fmt: skip
def position(text: Term, part: Term) -> Term:
    head = text.expr.str.splitn(_mark(part), 2).struct
    found = pl.when(head.field("field_1").is_not_null()).then(head.field("field_0").str.len_chars() + 1)
    return Term(found.cast(pl.Int64), Kind.WHOLE)


@function("text: text, place: whole!, part: text!", "with a part put in behind so many characters",
          "insert('1042', 2, '-')", "10-42")  # fmt: skip
def insert(text: Term, place: Term, part: Term) -> Term:
    at = max(int(place.constant), 0)
    return _text(text.expr.str.head(at) + str(part.constant) + text.expr.str.slice(at))


@function("text: text", "from its last character to its first", "reverse('abc')", "cba")
def reverse(text: Term) -> Term:
    return _text(text.expr.str.reverse())


@function("text: text, times: whole!", "so many times in a row, 100 at most", "repeat('ab', 3)", "ababab")
def repeat(text: Term, times: Term) -> Term:
    many = int(times.constant)
    if not 0 <= many <= 100:
        raise Misfit("a text is repeated 0 to 100 times.", "Use a smaller number.")
    return _text(pl.concat_str([text.expr] * many) if many else text.expr.str.head(0))


@function(
    "text: text, length: whole!, sign: text! = ' '", "filled up at the end", "pad_end('pea', 5, '.')", "pea.."
)
def pad_end(text: Term, length: Term, sign: Term) -> Term:
    return _text(text.expr.str.pad_end(*filling(length, sign)))


@function(
    "text: text", "the first e-mail address in it", "email('ask ann@fen.example, please')", "ann@fen.example"
)
def email(text: Term) -> Term:
    return _text(text.expr.str.extract(f"({EMAIL})", 1))


@function(
    "text: text", "the first web address in it", "web('see https://fen.example/a.')", "https://fen.example/a"
)
def web(text: Term) -> Term:
    return _text(text.expr.str.extract(f"({WEB})", 1))


@function("text: text", "the domain of an e-mail or web address", "domain('ann@fen.example')", "fen.example")
def domain(text: Term) -> Term:
    return _text(text.expr.str.extract(r"(?:@|//(?:www\.)?|^www\.)([\p{L}\p{N}.-]+\.\p{L}{2,})", 1))


@function("text: text", "whether it is a number and nothing else", "is_number('1,234.5')", "yes")
def is_number(text: Term) -> Term:
    fits = text.expr.str.strip_chars().str.contains(
        r"^[-+]?(?:\d+|\d{1,3}(?:,\d{3})+)(?:\.\d+)?(?:[eE][-+]?\d+)?$"
    )
    return Term(fits, Kind.YES_NO)


@function("text: text", "whether it is a date in a usual form", "is_date('31.02.2026')", "no")
def is_date(text: Term) -> Term:
    read = converted(text.expr, pl.String(), Kind.DATE, list(FORMATS[Kind.DATE]))
    return Term(pl.when(text.expr.is_not_null()).then(read.is_not_null()), Kind.YES_NO)


@function("text: text, parts: text!", "whether any of these words stands in it, parted by |",
          "has_any('Bay Gem', 'gem|pea')", "yes")  # fmt: skip
def has_any(text: Term, parts: Term) -> Term:
    wanted = [part.lower() for part in str(parts.constant).split("|") if part]
    return Term(text.expr.str.to_lowercase().str.contains_any(wanted), Kind.YES_NO)


@function("text: text, length: whole!", "cut to a length, with … where something is left out",
          "shorten('Cherokee Purple', 9)", "Cherokee…")  # fmt: skip
def shorten(text: Term, length: Term) -> Term:
    most = max(int(length.constant), 1)
    short = text.expr.str.head(most - 1).str.strip_chars_end() + "…"
    return _text(pl.when(text.expr.str.len_chars() > most).then(short).otherwise(text.expr))
