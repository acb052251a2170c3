"""13: keys that would meet in another table of the flow, were it not for case, blanks, leading zeros or spelling."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, chosen, plural, recode, short, step, where
from updraft.core.insight.findings.view import Column, View
from updraft.core.similarity import folded, near_misses, tidied_blanks
from updraft.core.values import Kind

_MOST = 20_000  # distinct values of a column that may be a key
# The share that meets but for case, marks and zeros, below which slips of a letter are not looked for: each pair of
# columns costs some milliseconds then, and two wide tables have thousands of pairs.
_LEAST_ALIKE = 0.3


def keys_that_miss(view: View) -> Iterator[Finding]:
    """Text columns of this table against those of the others.

    Threshold: another column that after the repair is met by at least 60 % of the distinct values here, holds each of its
    values once (or is of the same name), and by two values more than before.
    """
    for name, frame in view.others.items():
        theirs = [
            Column(series, n)
            for n, series in enumerate(frame.get_columns()[:60])
            if isinstance(series.dtype, pl.String)
        ]
        keys = [(c, _bare(c)) for c in theirs if 3 <= c.distinct <= _MOST and c.role != "free"]
        for column in view.columns:
            if column.kind is Kind.WHOLE and any(
                c.counts["value"].str.contains(r"^0\d").any() for c, _ in keys
            ):
                column = Column(column.series.cast(pl.String), column.place)  # digits that lost their zeros
            if not column.is_text or column.role == "free" or not 3 <= column.distinct <= _MOST:
                continue
            bare = _bare(column)
            near = (other for other, its in keys if len(bare & its) >= _LEAST_ALIKE * len(bare))
            best = max(
                (f for other in near if (f := _meeting(column, other, name))),
                key=lambda f: f.count,
                default=None,
            )
            if best and view.column(column.name).is_text:
                yield best
            elif best:
                text = step("set_types", columns=[{"column": column.name, "type": "text"}])
                yield replace(
                    best, rule=None, repairs=tuple(Repair(r.sentence, (text, *r.steps)) for r in best.repairs)
                )


def _meeting(mine: Column, other: Column, table: str) -> Finding | None:
    is_key = other.distinct >= 0.98 * other.filled
    if not is_key and mine.name.strip().lower() != other.name.strip().lower():
        return None
    known = other.counts["value"]
    values = mine.counts.with_columns(tidied_blanks(pl.col("value")).alias("tidy")).filter(
        pl.col("tidy") != ""
    )
    misses = values.filter(~pl.col("value").is_in(known.implode()))
    if not misses.height or (misses.height == values.height and mine.role == "name"):
        return None
    changes = _changes(misses, known)
    met = values.height - misses.height + len(changes)
    if not changes or met < 0.6 * values.height or met < 3:
        return None
    if misses.height < values.height and len(changes) < 1:
        return None
    rows = mine.rows_with(list(changes))
    how, steps = _repair(mine, changes, known)
    return Finding(
        "keys_that_miss",
        (mine.name,),
        rows.len(),
        f"{plural(len(changes), 'value', 'values')} of {mine.name} {'misses' if len(changes) == 1 else 'miss'} {other.name} of “{table}” by {how} alone",
        f"{values.height - misses.height:,} of {values.height:,} values meet now; {met:,} would after the repair. Said where that is 60 % and more.",
        short([f"{old} → {new}" for old, new in changes.items()]),
        rows,
        (Repair(_sentence(mine, how, changes, other, table), steps),),
        where(mine.name, "one_of", values=list(changes)) if len(changes) <= 50 else None,
        weight=63,
    )


def _key(column: str) -> pl.Expr:
    return folded(pl.col(column)).str.replace_all(r"(^|\D)0+(\d)", "$1$2")


def _bare(column: Column) -> frozenset[str]:
    """The values of a column without case, marks and leading zeros."""
    return frozenset(column.counts.select(_key("value")).to_series().to_list())


def _changes(misses: pl.DataFrame, known: pl.Series) -> dict[str, str]:
    """Value here → the value there that it means: by folding and without leading zeros; slips of one letter for the rest."""

    there = (
        known.alias("there").to_frame().with_columns(_key("there").alias("key")).filter(pl.col("key") != "")
    )
    there = there.filter(pl.len().over("key") == 1)
    joined = misses.with_columns(_key("value").alias("key")).join(there, on="key", how="left")
    changes = {old: new for old, new in joined.select("value", "there").iter_rows() if new is not None}
    left = [value for value in misses["value"] if value not in changes]
    if left and len(left) + known.len() <= 3000:
        # What is listed there is right, however often it comes here.
        slips = near_misses([*known.to_list(), *left], [1000] * known.len() + [1] * len(left))
        changes |= {old: new for old, new in slips.items() if old in left}
    return changes


def _repair(
    mine: Column, changes: dict[str, str], known: pl.Series
) -> tuple[str, tuple[dict[str, object], ...]]:
    olds, news = list(changes), list(changes.values())
    pairs = pl.DataFrame({"old": olds, "new": news})
    if (pairs.select((tidied_blanks(pl.col("old")) == pl.col("new")).all())).item():
        return "blanks", (step("tidy_text", columns=chosen([mine.name])),)
    plain = known.str.contains(r"^\d+$").all() and pairs["old"].str.contains(r"^\s*\d+\s*$").all()
    if plain:
        sizes = known.str.len_chars()
        if sizes.n_unique() == 1 and sizes[0] >= pairs["old"].str.strip_chars().str.len_chars().max():
            return "leading zeros", (
                step("tidy_text", columns=chosen([mine.name]), zeros="pad", digits=int(sizes[0])),
            )
        if not known.str.starts_with("0").any():
            return "leading zeros", (step("tidy_text", columns=chosen([mine.name]), zeros="strip"),)
    for case, expression in (
        ("upper", pl.col("old").str.to_uppercase()),
        ("lower", pl.col("old").str.to_lowercase()),
    ):
        changed = (
            known.to_frame("k")
            .select(getattr(pl.col("k").str, f"to_{case}case")() == pl.col("k"))
            .to_series()
            .all()
        )
        if changed and pairs.select((tidied_blanks(expression) == pl.col("new")).all()).item():
            return "case", (step("tidy_text", columns=chosen([mine.name]), case=case),)
    only_case = pairs.select(
        (pl.col("old").str.to_lowercase() == pl.col("new").str.to_lowercase()).all()
    ).item()
    tidy = (
        {old.strip(): new for old, new in changes.items()}
        if any(old != old.strip() for old in olds)
        else changes
    )
    first = (step("tidy_text", columns=chosen([mine.name]), collapse=False),) if tidy is not changes else ()
    return ("case" if only_case else "spelling"), (*first, recode(mine.name, tidy))


def _sentence(mine: Column, how: str, changes: dict[str, str], other: Column, table: str) -> str:
    ways = {
        "blanks": f"Trim {mine.name}",
        "leading zeros": f"Bring {mine.name} to the zeros of “{table}”",
        "case": f"Write {mine.name} as in “{table}”",
    }
    return f"{ways.get(how, f'Write {mine.name} as {other.name} of “{table}” does')}; {plural(len(changes), 'more meets', 'more meet')}"
