"""Families: values that are likely one thing, with the name that each would take."""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping
from functools import lru_cache
from typing import Any, Literal, NamedTuple, Protocol

import polars as pl

from updraft.core.letters import unmarked_text
from updraft.core.similarity.alike import Alike
from updraft.core.similarity.countries import are_two, told_countries
from updraft.core.similarity.spelling import apart_words, letter_keys, near_misses, plain, tidied_blanks

Way = Literal["letters", "countries", "words", "slips", "sound", "close"]
_WAYS: tuple[Way, ...] = ("letters", "countries", "words", "slips", "sound", "close")  # from the surest
_LONG = 12  # letters from which on a slip is hardly ever another name
_LONG_WORD = 6  # and of the words in which the two texts differ
_RARE, _OFTEN = 3, 3  # rows that a slip in a short name has at most, and how many times as many the right one
_ALIKE = 0.75  # how alike the words must be in which two close texts differ
STRICTNESS = 0.83  # how alike the usual slider leaves them: a letter in six


_ASPECTS: dict[str, Callable[[str], str]] = {
    "case": str.casefold,
    "accents": unmarked_text,
    "signs": lambda text: re.sub(r"[^\w\s]|_", " ", text),
    "the order of words": lambda text: " ".join(sorted(text.split())),
}


class Ways(NamedTuple):
    """The ways of being alike that are looked for.

    Args:
        close: the least normalised Levenshtein similarity, above 0, to 1; None does not look for it.
    """

    letters: bool = False
    words: bool = False
    slips: bool = False
    sound: bool = False
    close: float | None = None


class Proposal(NamedTuple):
    """A value, what it is likely meant to be, and why: the way, and for `close` how alike they are.

    Args:
        sure: whether it hardly ever errs: the letters are the same, only a company's form is more or less, or
            a long text has a slip in a long word. A slip in a short name may be another name.
    """

    value: str
    name: str
    way: Way
    alike: float = 1.0
    sure: bool = False

    @property
    def why(self) -> str:
        if self.way == "close":
            return f"close, {self.alike:.2f}"
        return {
            "letters": _difference(self.value, self.name),
            "countries": "names of one country",
            "words": "the same name in other words",
            "slips": "a slip of the keyboard away",
            "sound": "sounds the same",
        }[self.way]


@lru_cache(1 << 15)  # told again after each answer
def _difference(one: str, other: str) -> str:
    """Of two texts that differ only in their dress, in what: an aspect matters if they differ once all others
    are taken away.
    """
    found = []
    for aspect in _ASPECTS:
        a, b = (_without(text, aspect).replace(" ", "") for text in (one, other))
        if a != b:
            found.append(aspect)
    loose = any(text != " ".join(text.split()) for text in (one, other))
    if loose or _without(one, "") != _without(other, ""):
        found.append("blanks")
    named = found or ["blanks"]
    if len(named) > 1:
        return f"{', '.join(named[:-1])} and {named[-1]} differ"
    several = named[0] in ("accents", "signs", "blanks")
    return f"{named[0]} {'differ' if several else 'differs'}"


def _without(text: str, kept: str) -> str:
    """A text without its dress, but for one aspect."""
    for name, plainer in _ASPECTS.items():
        text = plainer(text) if name != kept else text
    return text


class Family(NamedTuple):
    """Values that are likely one thing.

    Args:
        name: its most frequent value.
        spellings: value → its rows, the name first, then by rows.
        proposals: why the others belong to it, in the order of the spellings.
    """

    name: str
    spellings: dict[str, int]
    proposals: tuple[Proposal, ...]

    @property
    def why(self) -> str:
        return "; ".join(dict.fromkeys(one.why for one in self.proposals))

    @property
    def sure(self) -> bool:
        return all(one.sure for one in self.proposals)

    @property
    def weakest(self) -> str:
        """The way that is least sure of it, in a word or two."""
        least = max(self.proposals, key=lambda one: (_WAYS.index(one.way), -one.alike))
        return {"slips": "slip", "countries": "country", "close": least.why}.get(least.way, least.way)


class Remember(Protocol):
    def __call__(self, by: tuple[Hashable, ...], make: Callable[[], Any]) -> Any:
        """What `make` gives for a table, made once for a key."""


def proposed(
    table: pl.LazyFrame, column: str, ways: Ways, remember: Remember
) -> tuple[pl.DataFrame, list[Proposal]]:
    """The values of a column of text, as in `families`, and their proposals; both are remembered."""

    def count() -> pl.DataFrame:
        values = table.select(pl.col(column).alias("value")).drop_nulls()
        return values.group_by("value", maintain_order=True).agg(pl.len().alias("n")).collect()

    counted: pl.DataFrame = remember(("values", column), count)
    found: list[Proposal] = remember(("proposals", column, ways), lambda: proposals(counted, ways))
    return counted, found


def families(values: pl.DataFrame, ways: Ways) -> list[Family]:
    """Values that are likely one thing, the families with most rows first.

    Args:
        values: columns `value` (text, each once) and `n`, how often it stands.
    """
    return by_name(values, proposals(values, ways))


def by_name(values: pl.DataFrame, found: Iterable[Proposal]) -> list[Family]:
    """Proposals by the name that they are for, the families with most rows first.

    Args:
        values: as in `families`.
    """
    members: dict[str, list[Proposal]] = {}
    for one in found:
        members.setdefault(one.name, []).append(one)
    those = [*members, *(one.value for own in members.values() for one in own)]
    rows = dict(values.filter(pl.col("value").is_in(those)).select("value", "n").iter_rows())
    made = []
    for name, own in members.items():
        own.sort(key=lambda one: -rows[one.value])
        made.append(Family(name, {each: rows[each] for each in (name, *(o.value for o in own))}, tuple(own)))
    return sorted(made, key=lambda family: -sum(family.spellings.values()))


def proposals(values: pl.DataFrame, ways: Ways) -> list[Proposal]:
    """What values would become, the values in their order.

    Args:
        values: columns `value` (text, each once) and `n`, how often it stands.

    A family's name is its most frequent value; of several as frequent, one without needless blanks, then one
    that is neither all capitals nor all small letters, then the longest, then one with accents. Families by
    letters come first; slips, then those that sound the same, then those that are close, are looked for
    among their names.
    """
    letters = values.filter(pl.col("value").str.contains(r"\p{L}"))
    left = letters.select("value", pl.col("n").cast(pl.Int64))
    found: dict[str, Proposal] = {}
    if ways.letters:
        keys = letter_keys(letters["value"])
        left, keys = _by_key(left, keys, keys["letters"], found)
        left, _ = _by_key(left, keys, keys["words"], found)
    if ways != Ways(letters=True):
        left = _ranked(left)
    told = told_countries(letters["value"]) if ways != Ways(letters=True) else {}
    if ways.words:
        left = _taken(left, found, _one_country(left["value"], told), {})
        from updraft.core.similarity.cut import cut_alikes
        from updraft.core.similarity.words import word_alikes

        names = left["value"].to_list()
        pairs = [*word_alikes(names, left["n"].to_list()), *cut_alikes(names)]
        said = _stars(names, "words", sorted(pairs, key=lambda pair: (pair.other, -pair.alike, pair.one)))
        left = _taken(left, found, said, told)
    if ways.slips:
        slips = near_misses(left["value"].to_list(), left["n"].to_list())
        left = _taken(left, found, (_slip(old, new) for old, new in slips.items()), told)
    if ways.sound:
        from updraft.core.similarity.sound import sound_alikes

        sounds = sound_alikes(left["value"].to_list(), left["n"].to_list())
        left = _taken(left, found, (Proposal(old, new, "sound") for old, new in sounds.items()), told)
    if ways.close is not None:
        _taken(left, found, _near(left, ways.close, told), {})
    there = letters["value"].filter(letters["value"].is_in(list(found)))
    return [_last(found, value) for value in there.to_list()]


def by_strictness(values: pl.DataFrame, ways: Ways, least: float, steps: int) -> list[tuple[float, int, int]]:
    """How many families each strictness would give: strictness, families, values that change; from `least`
    to 1 in so many steps.
    """
    letters = values.filter(pl.col("value").str.contains(r"\p{L}"))
    ranked = _ranked(letters)
    done = {one.value: one for one in proposals(values, ways._replace(close=None))}
    ranked = ranked.filter(~pl.col("value").is_in(list(done)))
    countries = told_countries(letters["value"])
    names, pairs = _close_pairs(ranked, least, countries)
    first = {one.name for one in done.values()}
    told = []
    for n in range(steps + 1):
        strictness = least + (1 - least) * n / steps
        enough = pairs.filter(pl.col("alike") >= strictness - 1e-9)
        near = list(
            _stars(
                names, "close", (Alike(one, other, alike, False) for one, other, alike in enough.iter_rows())
            )
        )
        told.append((round(strictness, 4), len(first | {one.name for one in near}), len(done) + len(near)))
    return told


def _ranked(values: pl.DataFrame) -> pl.DataFrame:
    """Rows of `value` and `n`, what would give a family its name first."""
    value = pl.col("value")
    marked = values.with_columns(
        tidy=value == tidied_blanks(value),
        mixed=(value != value.str.to_lowercase()) & (value != value.str.to_uppercase()),
        size=value.str.len_chars(),
        accents=value.str.contains(r"[^\x00-\x7f]"),
    )
    by = ["n", "tidy", "mixed", "size", "accents", "value"]
    order = marked.sort(by, descending=[True, True, True, True, True, False])
    return order.select(values.columns)


def _by_key(
    left: pl.DataFrame, keys: pl.DataFrame, key: pl.Series, found: dict[str, Proposal]
) -> tuple[pl.DataFrame, pl.DataFrame]:
    """Put values of one key together: the names that are left, with the rows of their families, and what
    `keys` says of them.
    """
    shared = key.is_duplicated() & (key != "")
    if not shared.any():
        return left, keys
    place = pl.Series("place", range(left.height), dtype=pl.UInt32)
    several = left.with_columns(place, key=key).filter(shared)
    named = _ranked(several).with_columns(
        name=pl.col("value").first().over("key"),
        first=pl.col("place").first().over("key"),
        rows=pl.col("n").sum().over("key"),
    )
    for value, name in named.filter(pl.col("name") != pl.col("value")).select("value", "name").iter_rows():
        found[value] = Proposal(value, name, "letters", sure=True)
    firsts = named.filter(pl.col("place") == pl.col("first"))
    rows = left["n"].scatter(firsts["place"], firsts["rows"])
    stays = ~place.is_in(named.filter(pl.col("place") != pl.col("first"))["place"].implode())
    return left.with_columns(rows).filter(stays), keys.filter(stays)


def _one_country(values: pl.Series, told: Mapping[str, str]) -> Iterator[Proposal]:
    """What names a country that a value before it names, too."""
    first: dict[str, str] = {}
    for value in values if told else ():
        name = first.setdefault(told[value], value) if value in told else value
        if name != value:
            yield Proposal(value, name, "countries", sure=True)


def _taken(
    ranked: pl.DataFrame, found: dict[str, Proposal], more: Iterable[Proposal], told: Mapping[str, str]
) -> pl.DataFrame:
    """Put proposals with those that were found, but for those of two countries; the values that are left."""
    fresh = {one.value: one for one in more if not are_two(told, one.value, one.name)}
    found |= fresh
    return ranked.filter(~pl.col("value").is_in(list(fresh)))


def _slip(value: str, name: str) -> Proposal:
    apart = ["".join(words) for words in apart_words(value.lower(), name.lower())]
    long = min(len(value), len(name)) >= _LONG and min(map(len, apart)) >= _LONG_WORD
    return Proposal(value, name, "slips", sure=long or not any(apart))


def _last(found: dict[str, Proposal], value: str) -> Proposal:
    """Where the names of names lead; the way is the one that is least sure of them."""
    way, name, alike, sure = found[value].way, found[value].name, found[value].alike, found[value].sure
    while name in found:
        way = max(way, found[name].way, key=_WAYS.index)
        alike, sure = min(alike, found[name].alike), sure and found[name].sure
        name = found[name].name
    return Proposal(value, name, way, alike, sure)


def _close_pairs(
    ranked: pl.DataFrame, strictness: float, told: Mapping[str, str]
) -> tuple[list[str], pl.DataFrame]:
    """The values that are compared, and pairs of their places; see `close_texts`."""
    from rapidfuzz.distance import Levenshtein

    from updraft.core.similarity.close import close_texts

    once = ranked.with_columns(plain=plain(pl.col("value"))).unique(
        "plain", keep="first", maintain_order=True
    )
    names, texts = once["value"].to_list(), once["plain"].to_list()
    pairs = close_texts(texts, strictness)
    # What texts share, such as a tail that many have, must not make up for words that are not alike.
    words = [dict.fromkeys(text.split()) for text in texts]
    likeness = Levenshtein.normalized_similarity
    many = once["n"].to_list()
    tells = max(many, default=0) >= _OFTEN * min(many, default=0)
    short = [tells and len(text) < _LONG and len(words[at]) == 1 for at, text in enumerate(texts)]
    fits = [
        _are_alike(words[one], words[other], likeness)
        and not (short[one] and short[other] and _are_two(many[one], many[other]))
        and not are_two(told, names[one], names[other])
        for one, other, _ in pairs.iter_rows()
    ]
    return names, pairs.filter(pl.Series(fits, dtype=pl.Boolean))


def _are_two(one: int, other: int) -> bool:
    """Whether two short names, that stand so often, are two: a slip is rare beside what is meant."""
    return min(one, other) > _RARE or max(one, other) < _OFTEN * min(one, other)


def _are_alike(
    first: Mapping[str, None], second: Mapping[str, None], likeness: Callable[[str, str], float]
) -> bool:
    """Whether the words in which two texts differ are alike; those of texts that share no word always are."""
    if len(first) == 1 or len(second) == 1 or first.keys().isdisjoint(second):
        return True
    one = "".join(word for word in first if word not in second)
    other = "".join(word for word in second if word not in first)
    return not one or not other or likeness(one, other) >= _ALIKE


def _near(ranked: pl.DataFrame, strictness: float, told: Mapping[str, str]) -> Iterator[Proposal]:
    names, pairs = _close_pairs(ranked, strictness, told)
    return _stars(
        names, "close", (Alike(one, other, alike, False) for one, other, alike in pairs.iter_rows())
    )


def _stars(names: list[str], way: Way, pairs: Iterable[Alike]) -> Iterator[Proposal]:
    """Each value goes to the name before it that it is most like; such a name goes nowhere itself."""
    before: dict[int, list[Alike]] = {}
    for pair in pairs:
        before.setdefault(pair.other, []).append(pair)
    gone: set[int] = set()
    for place in sorted(before):
        free = [pair for pair in before[place] if pair.one not in gone]
        if free:
            best = min(free, key=lambda pair: (-pair.alike, pair.one))
            gone.add(place)
            yield Proposal(names[place], names[best.one], way, round(best.alike, 4), best.sure)
