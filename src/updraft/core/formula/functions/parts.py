"""More ways to take a part of a text, and to write a number."""

from __future__ import annotations

import polars as pl

from updraft.core.formula.functions.text import _mark, _text, at_place, pattern
from updraft.core.formula.registry import function
from updraft.core.formula.terms import Term
from updraft.core.values import Kind


@function(
    "text: text, pattern: text!, place: whole!",
    "the n-th that fits a pattern; -1 is the last",
    "nth('a1 b22 c3', '[0-9]+', 2)",
    "22",
)
def nth(text: Term, pattern_: Term, place: Term) -> Term:
    return _text(at_place(text.expr.str.extract_all(pattern(pattern_)), place, "they"))


@function(
    "text: text, pattern: text!, mark: text!",
    "all that fit a pattern, with a mark between them",
    "all_of('a1 b22 c3', '[0-9]+', '; ')",
    "1; 22; 3",
)
def all_of(text: Term, pattern_: Term, mark: Term) -> Term:
    found = text.expr.str.extract_all(pattern(pattern_)).list.join(str(mark.constant))
    return _text(pl.when(found != "").then(found))


@function(
    "text: text, mark: text!",
    "up to the last mark; all where there is none",
    "before_last('a.b.csv', '.')",
    "a.b",
)
def before_last(text: Term, mark: Term) -> Term:
    before = text.expr.str.extract(f"(?s)^(.*){pl.escape_regex(_mark(mark))}", 1)
    return _text(before.fill_null(text.expr))


@function("text: text, count: whole!", "without its first characters", "skip('LM-1042', 3)", "1042")
def skip(text: Term, count: Term) -> Term:
    return _text(text.expr.str.slice(max(int(count.constant), 0)))


@function("text: text, count: whole!", "without its last characters", "cut('250 g', 2)", "250")
def cut(text: Term, count: Term) -> Term:
    gone = max(int(count.constant), 0)
    return _text(text.expr.str.head(-gone) if gone else text.expr)


@function("text: text", "the first letter large, the others small", "sentence('BAY GEM')", "Bay gem")
def sentence(text: Term) -> Term:
    return _text(text.expr.str.head(1).str.to_uppercase() + text.expr.str.slice(1).str.to_lowercase())


@function("text: text", "the first letter of each word", "initials('Ada Fenwick')", "AF")
def initials(text: Term) -> Term:
    return _text(
        text.expr.str.extract_all(r"[\p{L}\p{M}\p{N}]+").list.eval(pl.element().str.head(1)).list.join("")
    )


@function("number: number, places: whole!", "as text with just so many decimals", "fixed(2.5, 2)", "2.50")
def fixed(number: Term, places: Term) -> Term:
    at = min(max(int(places.constant), 0), 12)
    meant = number.as_number().round_sig_figs(15).round(at, mode="half_away_from_zero") + 0.0
    whole = meant.abs().floor()
    rest = ((meant.abs() - whole) * 10**at).round(0).cast(pl.Int64, strict=False)
    sign = pl.when(meant < 0).then(pl.lit("-")).otherwise(pl.lit(""))
    digits = sign + whole.cast(pl.Int64, strict=False).cast(pl.String)
    return _text(digits + "." + rest.cast(pl.String).str.zfill(at) if at else digits)


@function(
    "number: number, places: whole! = 0",
    "as text with commas between thousands",
    "grouped(1234567.5, 1)",
    "1,234,567.5",
)
def grouped(number: Term, places: Term) -> Term:
    parts = fixed(number, places).expr.str.splitn(".", 2).struct
    whole, rest = parts.field("field_0"), parts.field("field_1")
    # From the right: commas are put in from the left of the digits turned round.
    turned = whole.str.reverse().str.replace_all(r"(\d{3})", "${1},").str.reverse()
    tidy = turned.str.replace(r"^(-?),", "${1}")
    return _text(tidy + pl.when(rest.is_not_null()).then("." + rest).otherwise(pl.lit("")))


@function(
    "text: text", "a coordinate in degrees: ±DDMM, ±DDDMMSS, or 42°30'15\"N", "degrees('+4230')", "42.5"
)
def degrees(text: Term) -> Term:
    written = text.expr.str.strip_chars()
    packed = written.str.extract_groups(r"^([+-]?)(\d{2,3}?)(\d{2})(\d{2})?$")
    apart = written.str.extract_groups(
        r"^([+-]?)(\d{1,3})\s*°\s*(?:(\d{1,2}(?:\.\d+)?)\s*['′]\s*)?(?:(\d{1,2}(?:\.\d+)?)\s*[\"″]\s*)?([NSEWnsew]?)$"
    )
    parts = [
        pl.coalesce(packed.struct.field(str(n)), apart.struct.field(str(n))).cast(pl.Float64)
        for n in (2, 3, 4)
    ]
    value = parts[0] + parts[1].fill_null(0) / 60 + parts[2].fill_null(0) / 3600
    below = (written.str.starts_with("-")) | written.str.contains(r"[SWsw]$")
    return Term(pl.when(below).then(-value).otherwise(value), Kind.NUMBER)
