"""Decide the kind of every text column from all its values, and convert it where every value fits.

Text that would lose something stays text: leading zeros, more than 15 digits, dates whose day and month could
be either way round, columns in which a single value does not fit.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Generator, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from itertools import repeat
from typing import Any, NamedTuple, TypeVar

import polars as pl

from updraft.core.letters import western_digits
from updraft.core.values.kinds import Kind, kind_of
from updraft.core.values.languages import ERRORS, UNKNOWN
from updraft.core.values.likely import NUMBERS, all_fit, candidates, plural, read_as, widest, would_lose
from updraft.core.values.twins import TWINS, told_apart

SAMPLE = 400  # values looked at to shortlist kinds; the decision itself always uses all values
# What programs write where a number, a date or an answer is missing. Among words it may be a word or a code.
_MISSING = frozenset({
    "", "na", "n/a", "n.a.", "<na>", "nan", "null", "nil", "none", "-", "--", "–", "—", ".", "..", "...", "?",
}) | ERRORS | UNKNOWN  # fmt: skip
# However many there are.
_PLAINLY_MISSING = frozenset({"na", "n/a", "<na>", "nan", "null", "k.a.", "s/d", "н/д"}) | ERRORS
_BEGINS = re.escape(
    "".join(sorted({sign for word in _MISSING if word for sign in (word[0], word[0].upper())}))
)
_HEAD = 4000
_LONGEST_MISSING = max(map(len, _MISSING))
_OUR_YEARS = 1600  # in digits of another script, years before are likely of another calendar
_LEAST_SHARE = 0.1  # of the cells, that must be values for the others to be read as missing


@dataclass(frozen=True)
class Decision:
    """What a column was taken for, and the evidence in one sentence.

    `doubt` is set where text looks like another kind but stays text, so that nothing is lost or guessed;
    `emptied` is how many cells with `words` for nothing became empty.
    """

    column: str
    kind: Kind
    format: str
    evidence: str
    doubt: bool = False
    emptied: int = 0
    words: tuple[str, ...] = ()


class How(NamedTuple):
    """How a text column becomes what it was taken for.

    Args:
        words: texts that become empty first.
    """

    kind: Kind = Kind.TEXT
    form: str = ""
    words: tuple[str, ...] = ()

    def made(self, series: pl.Series) -> pl.Series:
        """What a part of the column becomes."""
        if self.kind is Kind.TEXT:
            return series
        return read_as(_without(series, self.words), self.kind, self.form)[0]


R = TypeVar("R")
Look = Callable[[pl.Series], Any]
# Something that is worked out by looking at the parts of a column, a look at all of them after another: it
# yields what to do with a part, and is sent what that gave of each.
Looking = Generator[Look, list[Any], R]


class Seen:
    """What is known of a column of text once all of its parts came by, in their order: how many values there
    are, and some of them, from the beginning, from all over and from the end. It holds on to no part.
    """

    def __init__(self) -> None:
        self.filled, self._rows, self._step = 0, 0, 1
        self._head, self._picked = list[str | None](), list[str | None]()
        self._tail, self._first = list[str | None](), list[str | None]()

    def add(self, part: pl.Series) -> None:
        filled = part.len() - part.null_count()
        if filled and not self.filled:
            self._first = part.drop_nulls().head(SAMPLE).to_list()
        self.filled += filled
        while self._rows + part.len() > self._step * SAMPLE:
            self._step *= 2
            self._picked = self._picked[::2]
        self._head += part.head(max(SAMPLE // 2 - self._rows, 0)).to_list()
        self._picked += part.gather_every(self._step, -self._rows % self._step).to_list()
        self._tail = [*self._tail, *part.tail(SAMPLE // 4).to_list()][-(SAMPLE // 4) :]
        self._rows += part.len()

    def sample(self, name: str) -> pl.Series:
        """Some of the values; none only where there is none."""
        some = [one for one in (*self._head, *self._picked, *self._tail) if one is not None]
        return pl.Series(name, some or self._first, pl.String)


class TextColumn:
    """A column of text in parts.

    Args:
        words: texts that are taken for empty.
        keeps: what it was read as is remembered; for a column of one part.
        seen: what is known of it already.
    """

    def __init__(
        self, name: str, words: Sequence[str] = (), *, keeps: bool = False, seen: Seen | None = None
    ) -> None:
        self.name, self.words = name, tuple(words)
        self._keeps, self._known = keeps, dict[How, pl.Series]()
        self._seen = seen

    def each(self, look: Look) -> Looking[list[Any]]:
        """What a look at each part gives."""
        return (yield lambda part: look(_without(part, self.words)))

    def seen(self) -> Looking[Seen]:
        if self._seen is None:
            self._seen = Seen()
            yield from self.each(self._seen.add)
        return self._seen

    def read(self, kind: Kind, form: str) -> Looking[tuple[int, bool]]:
        """How many values cannot be read so; where all can, whether they would lose something as numbers."""
        found = yield from self.each(partial(self._read, How(kind, form)))
        return sum(lost for lost, _ in found), any(loses for _, loses in found)

    def _read(self, how: How, part: pl.Series) -> tuple[int, bool]:
        made, plain = read_as(part, how.kind, how.form)
        if self._keeps:
            self._known[how] = made
        lost, number = made.null_count() - part.null_count(), how.kind in (Kind.WHOLE, Kind.NUMBER)
        return lost, number and not lost and would_lose(part, how.kind, padded=not plain)

    def made(self, how: How, part: pl.Series) -> pl.Series:
        """A part as what the column was taken for."""
        known = None if how.words else self._known.get(how)
        return how.made(part) if known is None else known

    def whole(self) -> Looking[pl.Series]:
        parts: list[pl.Series] = yield from self.each(lambda part: part)
        return parts[0] if len(parts) == 1 else pl.concat(parts)


def _without(series: pl.Series, words: Sequence[str]) -> pl.Series:
    if not words:
        return series
    text = pl.col(series.name)
    return series.to_frame().select(pl.when(~text.is_in(list(words))).then(text)).to_series()


def decide(
    table: pl.DataFrame, numbers: str | None = None, *, missing: bool = True
) -> tuple[pl.DataFrame, list[Decision]]:
    """Convert the text columns of a table where every non-empty value converts.

    Args:
        numbers: how numbers are written where the values leave it open: `point` (1,234.5) or `comma`
            (1.234,5).
        missing: words for nothing, such as n/a, are read as empty where all others convert.

    Returns:
        The table with converted columns, and one decision a column in the table's order.
    """

    def of(series: pl.Series) -> tuple[pl.Series, Decision]:
        if series.dtype != pl.String:
            return series, as_it_came(series.name, series.dtype)
        column = TextColumn(series.name, keeps=True)
        looking = decide_column(column, numbers, missing=missing)
        try:
            look = next(looking)
            while True:
                look = looking.send([look(series)])
        except StopIteration as end:
            how, decision = end.value
            return column.made(how, series), decision

    with ThreadPoolExecutor() as pool:  # Polars works outside the interpreter's lock
        decided = list(pool.map(of, table.get_columns()))
    if not decided:
        return table, []
    return pl.DataFrame([column for column, _ in decided]), [decision for _, decision in decided]


def decide_parts(
    names: Sequence[str],
    parts: Callable[[Sequence[str]], Iterator[pl.DataFrame]],
    numbers: str | None = None,
    *,
    missing: bool = True,
    seen: Mapping[str, Seen] | None = None,
) -> dict[str, tuple[How, Decision]]:
    """What text columns are taken for, as `decide` says, of a table in parts.

    Args:
        parts: the parts of some columns, in order; asked for a few times.
        seen: what is known of columns already.
    """
    looks, decided = dict[str, Look](), dict[str, tuple[How, Decision]]()
    columns = {name: TextColumn(name, seen=(seen or {}).get(name)) for name in names}
    looking = {name: decide_column(one, numbers, missing=missing) for name, one in columns.items()}

    def go_on(name: str, found: list[Any] | None) -> None:
        try:
            looks[name] = next(looking[name]) if found is None else looking[name].send(found)
        except StopIteration as end:
            decided[name] = end.value
            looks.pop(name, None)

    for name in names:
        go_on(name, None)
    with ThreadPoolExecutor() as pool:
        while looks:
            found: dict[str, list[Any]] = {name: [] for name in looks}

            def look(name: str, frame: pl.DataFrame, found: dict[str, list[Any]] = found) -> None:
                found[name].append(looks[name](frame[name]))

            for frame in parts(list(looks)):
                list(pool.map(look, looks, repeat(frame)))
            for name in list(looks):
                go_on(name, found[name])
    return decided


def as_it_came(name: str, dtype: pl.DataType) -> Decision:
    """What is decided of a column that is no text."""
    return Decision(name, kind_of(dtype), "", "came with this type")


def decide_column(
    column: TextColumn, numbers: str | None = None, *, missing: bool = True
) -> Looking[tuple[How, Decision]]:
    """What a column of text is taken for; see `decide`."""
    how, decision = yield from _decide_filled(column, numbers)
    if not missing or decision.kind is not Kind.TEXT or decision.doubt:
        return how, decision
    words = sorted(set().union(*(yield from column.each(_missing_in))))  # as they stand there
    if not words:
        return how, decision
    meant = TextColumn(column.name, words)
    plain = all(word.strip().lower() in _PLAINLY_MISSING for word in words)
    filled, left = (yield from column.seen()).filled, (yield from meant.seen()).filled
    if left < 3 or (left < _LEAST_SHARE * filled and not plain):
        return how, decision
    other, better = yield from _decide_filled(meant, numbers)
    if better.kind is Kind.TEXT:
        return how, replace(
            decision, doubt=better.doubt, evidence=better.evidence
        ) if better.doubt else decision
    told = [f"“{word.strip()}”" if word.strip() else "nothing but blanks" for word in words[:3]]
    evidence = f"{better.evidence}; {filled - left:,} with {', '.join(dict.fromkeys(told))} are read as empty"
    plainly = tuple(dict.fromkeys(word.strip() for word in words if word.strip()))
    decision = replace(better, evidence=evidence, emptied=filled - left, words=plainly)
    return other._replace(words=tuple(words)), decision


def _missing_in(series: pl.Series) -> list[str]:
    """Words for missing as they stand in a part of a text column."""
    short = series.filter(series.str.len_bytes() <= _LONGEST_MISSING + 4).drop_nulls()
    if short.head(_HEAD).n_unique() * 4 <= _HEAD <= short.len():
        short = short.unique()  # the same few again and again
    # First by the beginning, since a million codes are all short and none of them is such a word.
    likely = short.filter(short.str.contains(rf"^\s*([{_BEGINS}]|$)"))
    found = likely.filter(likely.str.strip_chars().str.to_lowercase().is_in(_MISSING))
    return found.unique().to_list()


def _decide_filled(column: TextColumn, numbers: str | None) -> Looking[tuple[How, Decision]]:
    name, text = column.name, How()
    seen = yield from column.seen()
    filled, as_written = seen.filled, seen.sample(name)
    if not filled:
        return text, Decision(name, Kind.TEXT, "", "no value at all")
    sample = western_digits(as_written)
    for kind, form in candidates(sample, numbers):
        if not all_fit(sample, kind, form):
            continue
        lost, loses = yield from column.read(kind, form)
        if lost:
            continue
        if loses:
            return text, Decision(
                name,
                Kind.TEXT,
                "",
                "its digits are a code: leading zeros, a plus sign, an E between them, or more than 15",
                doubt=True,
            )
        foreign = sample is not as_written and kind in (Kind.DATE, Kind.DATETIME)
        if foreign and (read_as(sample, kind, form)[0].dt.year() < _OUR_YEARS).all():
            why = "its years may be of another calendar; set the type if they are not"
            return text, Decision(name, Kind.TEXT, "", why, doubt=True)
        twin = None if form == NUMBERS.get(numbers or "") else TWINS.get(form)
        why = ""
        if twin and not (yield from column.read(widest(kind), twin))[0]:
            meant, why = told_apart((yield from column.whole()), kind, form)
            if not meant:
                return text, Decision(
                    name,
                    Kind.TEXT,
                    "",
                    f"every value reads as {form} and as {twin} alike; set the type to say which",
                    doubt=True,
                )
            form, why = meant, f": {why}"
        other = "" if sample.equals(as_written) else ", in digits of another script"
        shown = f" written {form}{other}" if form else other
        evidence = f"all {filled:,} values are {plural(kind)}{shown}{why}"
        return How(kind, form), Decision(name, kind, form, evidence)
    return text, Decision(name, Kind.TEXT, "", f"{filled:,} values, not all of one other type")
