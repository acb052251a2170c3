"""Columns of any kind taken as text."""

from __future__ import annotations

import polars as pl

from updraft.core.formula.functions.text import as_text
from updraft.core.formula.terms import Misfit, Term
from updraft.core.problems import Problem
from updraft.core.steps.choice import need_columns
from updraft.core.values import kind_of


def text_of(name: str, schema: pl.Schema, *, field: str) -> pl.Expr:
    """A column as the text a reader sees; Problem where it is missing, or holds lists or records."""
    need_columns([name], schema, field=field)
    try:
        return as_text(Term(pl.col(name), kind_of(schema[name])))
    except Misfit as misfit:
        raise Problem(f"Column “{name}”", misfit.reason, misfit.way_out, field=field) from None
