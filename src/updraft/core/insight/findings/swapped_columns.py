"""Columns that stand under each other's name."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, step
from updraft.core.insight.findings.naming import words_of
from updraft.core.insight.findings.view import Column, View, is_figure

_DAY = r"^\s*(\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.]\d{2,4})"
# What words of a name promise → the shape of nine of ten values.
_PROMISES = {
    "mail": (frozenset({"email", "mail"}), r"^[^@\s]+@[^@\s]+\.[^@\s]+$"),
    "web": (frozenset({"url", "website", "homepage", "link"}), r"^(https?://|www\.)\S+$"),
    "phone": (frozenset({"phone", "telephone", "tel", "mobile", "fax"}), r"^\+?[\d(][\d\s().\-/]{5,22}$"),
    "day": (frozenset({"date", "birthday", "birthdate", "dob", "born", "since", "until", "signed", "datum"}), _DAY),
    "amount": (frozenset({"amount", "price", "cost", "quantity", "qty", "weight", "salary", "fee", "population"}), ""),
    "name": (frozenset({"name", "surname", "city", "town", "country", "street", "title", "company"}), r"^[^\d@]*\p{L}{2}[^\d@]*$"),
}  # fmt: skip


def swapped_columns(view: View) -> Iterator[Finding]:
    """Two columns each of which holds what the other's name promises: telephone numbers under e-mail, and addresses under phone.

    Threshold: ten rows; the two names promise different things; nine of ten values of each are what the other promises, and
    one of ten at most what its own does.
    """
    if view.height < 10:
        return
    promised = {column.name: _promise(column) for column in view.columns}
    told = [column for column in view.columns if promised[column.name] and column.filled >= 10]
    taken: set[str] = set()
    for one, other in combinations(told, 2):
        own, beside = promised[one.name], promised[other.name]
        if (
            own == beside
            or taken & {one.name, other.name}
            or not (_holds(one, beside) and _holds(other, own))
        ):
            continue
        if _holds(one, own, 0.1) or _holds(other, beside, 0.1):
            continue
        swap = [{"old": one.name, "new": other.name}, {"old": other.name, "new": one.name}]
        yield Finding(
            "swapped_columns",
            (one.name, other.name),
            2,
            f"{one.name} and {other.name} stand under each other's name",
            f"{one.name} holds {_some(one)} and {other.name} holds {_some(other)}. Said where nine of ten values are what the other name "
            "promises, and hardly any what their own does.",
            (_some(one), _some(other)),
            repairs=(
                Repair("Give each the other's name", (step("rename_columns", by="typed", pairs=swap),)),
            ),
            open=True,
            weight=72,
        )
        taken |= {one.name, other.name}


def _promise(column: Column) -> str:
    words = set(words_of(column.name)) | ({"email"} if {"e", "mail"} <= set(words_of(column.name)) else set())
    return next((what for what, (names, _) in _PROMISES.items() if names & words), "")


def _holds(column: Column, what: str, least: float = 0.9) -> bool:
    """Whether this share of a column's values is what a name promises."""
    if column.is_number or column.is_date:
        return what == ("amount" if column.is_number else "day")
    if not column.is_text or not column.distinct:
        return False
    value = column.counts["value"]
    shape = _PROMISES[what][1]
    fits = value.str.contains(shape) if shape else is_figure(value)
    some = pl.DataFrame({"fits": fits, "n": column.counts["n"]}).filter(pl.col("fits"))["n"].sum()
    return bool(float(some) >= least * float(column.counts["n"].sum()) and some > 0)


def _some(column: Column) -> str:
    return str(column.counts["value"][0])[:40]
