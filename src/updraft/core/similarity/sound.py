"""Texts that sound the same, as several languages are spoken."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from updraft.core.letters import NO_WORD, unmarked

# How letters are spoken, language by language, as patterns and what stands for the sound, one after another.
# What stands for a sound is one letter; S is as in “ship”, vowels go later but for one at the start. Drawn
# up from the languages' spelling rules, and coarse on purpose: what is found is looked at by a person.
_SPOKEN: dict[str, tuple[tuple[str, str], ...]] = {
    "german": (
        (r"sch|ch", "S"), (r"ck|g|q|c", "k"), ("ph|pf|v|w", "f"), ("x", "ks"), ("z|tz|ts|ss", "s"),
        ("dt|d|th", "t"), ("b", "p"), ("([aeiouy])h", "$1"), ("j", "i"),
    ),
    "french": (
        ("ph", "f"), ("ch", "S"), ("qu|q", "k"), ("gn", "n"), ("sc([eiy])|c([eiy])", "s$1$2"),
        ("g([eiy])", "j$1"), ("c", "k"), ("h", ""), ("x|z", "s"), ("w", "v"), ("[sxtdpz]+$|ent$|es$", ""),
    ),
    "spanish": (
        ("ch", "S"), ("h", ""), ("v", "b"), ("ll", "Y"), ("qu", "k"), ("c([eiy])|z", "s$1"),
        ("g([ei])", "j$1"), ("x", "s"), ("c", "k"),
    ),
    "italian": (
        ("sc([ei])|c([ei])", "S$1$2"), ("ch|q|c", "k"), ("gh", "g"), ("gli", "li"), ("gn", "n"),
        ("g([ei])", "j$1"), ("h", ""), ("zz|z", "s"),
    ),
    "slavic": (
        ("szcz|tsch|tch|sz|cz|sh|ch", "S"), ("rz|zh", "z"), ("dz", "z"), ("w", "v"), ("ts|tz|c", "s"),
        ("j|y", "i"), ("ck", "k"), ("h", ""), ("(ov|ev|off|eff)$", "f"), ("ff$", "f"),
    ),
    "nordic": (
        ("skj|sj|tj|kj", "S"), ("hv|w", "v"), ("gj|hj", "j"), ("ck|c|q", "k"), ("th|dt", "t"), ("z", "s"),
        ("x", "ks"), ("ph", "f"), ("ij", "i"), ("sch", "sk"),
    ),
}  # fmt: skip

_SIGNS = "bcdfgjklmnpqrstvwxzSY"


def sound_alikes(values: Sequence[str], counts: Sequence[int]) -> dict[str, str]:
    """Rarer values that sound like a more frequent one: rarer → frequent.

    Word for word they sound the same in one language: in English by Metaphone (Philips 1990), in German,
    French, Spanish or Portuguese, Italian, Polish and its neighbours, and the Nordic languages or Dutch by
    how letters are spoken there. They have the same digits, and at least half of their letters in common
    (normalised optimal string alignment). Only texts in Latin letters, of four at least.
    """
    from rapidfuzz.distance import OSA

    frame = _words(values, counts)
    best: dict[str, tuple[int, str]] = {}
    known = {
        value: (plain, rank) for rank, value, plain in frame.select("rank", "value", "plain").iter_rows()
    }
    for spoken in _keys(frame):
        first = spoken.group_by("key").agg(
            pl.col("value").get(pl.col("rank").arg_min()).alias("name"), "value"
        )
        pairs = first.filter(pl.col("value").list.len() > 1).explode("value")
        for value, name in (
            pairs.select("value", "name").filter(pl.col("value") != pl.col("name")).iter_rows()
        ):
            plain, (its, rank) = known[value][0], known[name]
            if (value not in best or rank < best[value][0]) and OSA.normalized_similarity(plain, its) >= 0.5:
                best[value] = (rank, name)
    found = {value: name for value, (_, name) in best.items()}
    return {value: found.get(name, name) for value, name in found.items() if found.get(name) != value}


def spoken(texts: pl.Series) -> dict[str, dict[str, str]]:
    """Language → text → how it sounds there; texts in small Latin letters, others are left out."""
    frame = _words(texts.to_list(), [1] * texts.len())
    return {
        language: dict(zip(keys["value"], keys["key"], strict=True))
        for language, keys in zip(("english", *_SPOKEN), _keys(frame), strict=True)
    }


def _words(values: Sequence[str], counts: Sequence[int]) -> pl.DataFrame:
    """Values with their place by frequency and what is compared of them: `value`, `rank`, `plain`."""
    frame = pl.DataFrame(
        {"value": list(values), "n": list(counts)}, schema={"value": pl.String, "n": pl.Int64}
    )
    plain = unmarked(pl.col("value")).str.to_lowercase().str.replace_all(NO_WORD, " ").str.strip_chars()
    frame = frame.sort("n", descending=True, maintain_order=True).with_row_index("rank")
    latin = pl.col("plain").str.contains(r"^[a-z0-9 ]*$") & (pl.col("plain").str.count_matches("[a-z]") >= 4)
    return frame.with_columns(plain=plain).filter(latin)


def _keys(frame: pl.DataFrame) -> list[pl.DataFrame]:
    """For each language how the values sound: `value`, `rank`, `key`."""
    import jellyfish

    words = frame.select("rank", word=pl.col("plain").str.split(" ")).explode("word")
    each = words.select("word").unique()
    number = pl.col("word").str.contains(r"\d")
    spoken = {
        name: pl.when(number).then(pl.col("word")).otherwise(_as_spoken(pl.col("word"), letters))
        for name, letters in _SPOKEN.items()
    }
    each = each.lazy().with_columns(**spoken).collect(engine="streaming")
    english = [w if any(map(str.isdigit, w)) else jellyfish.metaphone(w) or w for w in each["word"].to_list()]
    each = each.with_columns(pl.Series("english", english, dtype=pl.String))
    told = words.join(each, on="word", how="left", maintain_order="left")
    keys = told.group_by("rank").agg(pl.col(name).str.join(" ") for name in ("english", *_SPOKEN))
    both = frame.select("rank", "value").join(keys, on="rank")
    return [both.select("value", "rank", key=name) for name in ("english", *_SPOKEN)]


def _as_spoken(word: pl.Expr, letters: tuple[tuple[str, str], ...]) -> pl.Expr:
    word = word.str.replace("^[aeiouy]", "A")
    for pattern, sound in letters:
        word = word.str.replace_all(pattern, sound.replace("$1$2", "${1}${2}").replace("$1", "${1}"))
    word = word.str.replace_all("[aeiouy]", "")
    return word.str.replace_many([sign * 2 for sign in _SIGNS], list(_SIGNS))
