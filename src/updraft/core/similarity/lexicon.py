"""Words that say little of what a name names, and words that tell one name from another."""

from __future__ import annotations

import polars as pl

_SUPPORT = 4  # names that have to stand with and without a word for it to be one that is often added
_ADDED = 0.5  # the share of a word's names that have to stand without it, too
_KINDS = 3  # of so many words that one name has, each is told apart by them
_FORMED = 0.05  # of the names that have a legal form, in a column of companies

# What companies are, in the words of several countries' laws; the first stands for the others.
_SPELT = """
ltd limited ltda ltee ldt coltd|llc|llp|lp|inc incorporated|corp corporation|co company cie compagnie cia|plc
gmbh|mbh|ag|kg kgaa|ohg|ug|ev|sa|sas|sasu|sarl|srl|spa|snc|sl slu|bv|nv|vof|ab|as|asa|aps|oy|oyj|kk|pty
pvt private|pte|sdn|bhd|doo|dd|ooo|oao|zao|pao|sp|oo zoo|cv|kft|zrt|nyrt|sro|ood|eood|ead|sia|uab|spzoo|og
dba|ооо|оао|зао|пао|ао|株式会社|有限会社|有限公司|股份有限公司|주식회사
"""
FORMS = {
    word: line.split()[0] for line in _SPELT.strip().replace("\n", "|").split("|") for word in line.split()
}

# Written without a blank to the name, the longest first.
RUN_IN = sorted((word for word in FORMS if word > "\u2fff"), key=len, reverse=True)


def _listed(words: str) -> frozenset[str]:
    return frozenset(words.split())


_PLAIN_FORMS = _listed("""
    ltd llc plc inc corp gmbh mbh srl spa sarl bv nv oyj pty pvt pte sdn bhd kft sro
""")
SMALL = _listed("""
    of the and de la le les du des der die das und et del di da do dos van von den het for in at on to an
    el los las il lo zu im am na og och ja
""")
OF = _listed("of de du des der di da do van von del della")
# What stands before or behind a name to make another of it.
TELLING = _listed("""
    north south east west northern southern eastern western central upper lower inner outer left right
    new old great greater lesser little big small large mini maxi first second third ii iii iv vi
    junior senior jr sr male female men women non anti ancient middle modern classical
    nord sud est ouest ost süd norte sur este oeste nova nuevo nueva neu alt groß klein grand petit
    haut haute bas basse bajo baja alto alta ober unter
""")


def legal_forms(frame: pl.DataFrame) -> frozenset[str]:
    """The legal forms of a column: all where many names have one, else those that mean nothing else."""
    plainly = frame.filter(pl.col("word").is_in(_PLAIN_FORMS))["at"].n_unique()
    many = plainly >= _FORMED * frame["at"].n_unique()
    return frozenset(FORMS.values()) if many else _PLAIN_FORMS


def light_words(frame: pl.DataFrame, forms: frozenset[str]) -> set[str]:
    """Words of grammar, legal forms, and the words that the names themselves show to be often added: many of
    the names that have one stand without it, too. Not those of which one name has several, one at a time,
    since they tell its kinds apart.
    """
    given = {*SMALL, *forms}
    heavy = frame.filter(~pl.col("word").is_in(given)).select("at", "word").unique()
    heavy = heavy.with_columns(key=pl.col("word").hash(7), tells=pl.col("word").is_in(TELLING))
    alone = frame.filter(pl.len().over("at") == 1)["word"]
    # A name that is only “north” is no base of “North Province”.
    whole = heavy.group_by("at").agg(all=pl.col("key").bitwise_xor(), tells=pl.col("tells").all())
    names = whole.filter(~pl.col("tells"))["all"].implode()
    can = ~pl.col("tells") & ~pl.col("word").is_in(alone.implode()) & ~pl.col("word").str.contains(r"^.$|\d")
    learnt: list[str] = []
    for _ in range(2):  # “islamic” is added to what “republic” is added to
        rest = heavy.filter(~pl.col("word").is_in(learnt))
        keys = rest.group_by("at").agg(rest=pl.col("key").bitwise_xor())
        own = pl.when(pl.col("word").is_in(learnt)).then(0).otherwise(pl.col("key"))
        less = heavy.join(keys, on="at").select("word", can=can, base=pl.col("rest").xor(own))
        less = less.with_columns(there=pl.col("base").is_in(names) & (pl.col("base") != 0))
        there = pl.col("base").filter(pl.col("there"))
        told = less.group_by("word").agg(pl.col("can").all(), there.n_unique().alias("support"),
                                              share=pl.col("there").mean())  # fmt: skip
        told = told.filter(pl.col("can") & (pl.col("support") >= _SUPPORT) & (pl.col("share") >= _ADDED))
        at = less.filter(pl.col("there") & pl.col("word").is_in(told["word"].implode()))
        kinds = at.with_columns(kinds=pl.col("word").n_unique().over("base"))
        kinds = kinds.group_by("word").agg(pl.col("kinds").mean()).filter(pl.col("kinds") < _KINDS)
        before, learnt = learnt, kinds["word"].to_list()
        if learnt == before:
            break
    return {*given, *learnt}
