"""Functions of lists and records. Items and fields come as text; `number(…)` and `date(…)` read them."""

from __future__ import annotations

import polars as pl

from updraft.core.formula.functions.text import _mark, _text, at_place
from updraft.core.formula.registry import function
from updraft.core.formula.terms import Misfit, Term
from updraft.core.values import Kind
from updraft.core.values.decimals import tidied

_SPLIT = "split('5, 9, 5', ', ')"


def _texts(items: Term) -> pl.Expr:
    return items.expr.cast(pl.List(pl.String))


def _numbers(items: Term) -> pl.Expr:
    return _texts(items).list.eval(pl.element().cast(pl.Float64, strict=False).drop_nulls())


@function("text: text, mark: text!", "its parts as a list", "items(split('a/b', '/'))", "2")
def split(text: Term, mark: Term) -> Term:
    return Term(text.expr.str.split(_mark(mark)), Kind.LIST)


@function("list: list", "how many items", f"items({_SPLIT})", "3")
def items(list: Term) -> Term:
    return Term(list.expr.list.len().cast(pl.Int64), Kind.WHOLE)


@function("list: list, place: whole!", "one of its items; -1 is the last", f"item({_SPLIT}, 2)", "9")
def item(list: Term, place: Term) -> Term:
    return _text(at_place(_texts(list), place, "items"))


@function("list: list, value: text", "whether a value is among its items", f"has({_SPLIT}, '9')", "yes")
def has(list: Term, value: Term) -> Term:
    return Term(_texts(list).list.contains(value.expr), Kind.YES_NO)


@function("list: list, mark: text!", "its items put together", f"listed({_SPLIT}, ' + ')", "5 + 9 + 5")
def listed(list: Term, mark: Term) -> Term:
    return _text(_texts(list).list.join(str(mark.constant), ignore_nulls=True))


@function("list: list", "each item once", f"listed(once({_SPLIT}), '/')", "5/9")
def once(list: Term) -> Term:
    return Term(_texts(list).list.unique(maintain_order=True), Kind.LIST)


@function("list: list", "its items in order", f"listed(sorted({_SPLIT}), '/')", "5/5/9")
def sorted_(list: Term) -> Term:
    return Term(_texts(list).list.sort(), Kind.LIST)


@function("list: list", "the sum of its numbers", f"list_sum({_SPLIT})", "19")
def list_sum(list: Term) -> Term:
    numbers = _numbers(list)
    sizes = numbers.list.eval(pl.element().abs()).list.sum()
    return Term(pl.when(numbers.list.len() > 0).then(tidied(numbers.list.sum(), sizes)), Kind.NUMBER)


@function("list: list", "the mean of its numbers", "list_mean(split('4/6', '/'))", "5")
def list_mean(list: Term) -> Term:
    return Term(_numbers(list).list.mean(), Kind.NUMBER)


@function("list: list", "the smallest of its numbers", f"list_smallest({_SPLIT})", "5")
def list_smallest(list: Term) -> Term:
    return Term(_numbers(list).list.min(), Kind.NUMBER)


@function("list: list", "the largest of its numbers", f"list_largest({_SPLIT})", "9")
def list_largest(list: Term) -> Term:
    return Term(_numbers(list).list.max(), Kind.NUMBER)


@function("record: record, name: text!", "a field of a record", "", "")
def field(record: Term, name: Term) -> Term:
    if not str(name.constant):
        raise Misfit("the field has no name.", "Type it in quotes.")
    return _text(record.expr.struct.field(str(name.constant)).cast(pl.String))
