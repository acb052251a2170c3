"""Countries by any of their names: in sixty languages and their own, as ISO 3166 has them, and their codes.
What names one country is one, in whatever language; what names two is two.

The names are Unicode's CLDR (written by tools/countries.py).
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping
from functools import cache
from pathlib import Path
from typing import NamedTuple

import polars as pl

from updraft.core.letters import WORD, unmarked_text

_LOOKED_AT = 60  # values that tell whether a column may be one of countries
_SOME = 0.3  # of those that name one, if it may
_COUNTRIES = 0.6  # of all its values, if it is
_FEWEST = 3

# What stands in full names beside the name itself.
_FORMAL = """
    republic kingdom state states federation federal federative commonwealth principality islamic
    democratic people peoples socialist arab bolivarian plurinational cooperative co operative sultanate union
    hashemite independent sovereign oriental eastern grand duchy rep dem fed isl country
    island islands territory territorial collectivity nation bailiwick
    republique royaume etat federale populaire democratique islamique principaute confederation duche
    collectivite bailliage
    republik bundesrepublik volksrepublik konigreich furstentum grossherzogtum demokratische islamische
    republica repubblica reino regno estado stato federativa popular democratica islamica principado
    principato republiek koninkrijk republika kralovstvi krolestwo rzeczpospolita cumhuriyeti jamhuri
    kongeriket kongeriget konungariket konungarikid lydveldid tasavalta vabariik
    respublika respublikasi respublikası respublikasy республика република республикасы королевство федерация
"""
_SMALL = """
    the of and de la le les du des der die das del da do dos di et und y e i och og ja l d
"""
_BESIDE_NAME, _IN_NO_NAME = frozenset(_FORMAL.split()), frozenset(_SMALL.split())


def told_countries(values: pl.Series) -> dict[str, str]:
    """The country (two letters) of each value that names one, if most values of the column do; else none.

    Args:
        values: text, each once.
    """
    some = values.gather_every(values.len() // _LOOKED_AT + 1).to_list()
    if sum(one is not None for one in countries(some)) < _SOME * len(some):
        return {}
    texts = values.to_list()
    told = {text: code for text, code in zip(texts, countries(texts), strict=True) if code}
    return told if len(told) >= max(_FEWEST, _COUNTRIES * len(texts)) else {}


def are_two(told: Mapping[str, str], one: str, other: str) -> bool:
    """Whether two values name two countries."""
    return one in told and other in told and told[one] != told[other]


def countries(texts: Iterable[str]) -> list[str | None]:
    """For texts, the country's two letters (ISO 3166-1) each; None where a text names none, or may name
    several.
    """
    known = _known()
    return [known.of(text) for text in texts]


class _Known(NamedTuple):
    """Countries by two letters, by whole names, and by what these name beside what a country is."""

    code: dict[str, str]
    whole: dict[str, str]
    name: dict[str, str]

    def of(self, text: str) -> str | None:
        # Two letters are a code only if they are capitals: “is” and “in” are words.
        if found := self.code.get(text.strip()):
            return found
        whole, name = _keys(text)
        return self.whole.get(whole) or self.name.get(name)


def _keys(text: str) -> tuple[str, str]:
    """The words of a text in no order: all, and those without the words of full names."""
    words = _WORD.findall(_LEFT_OUT.sub("", unmarked_text(text).lower()))
    whole = sorted(_LONG.get(word, word) for word in words if word not in _IN_NO_NAME)
    return " ".join(whole), " ".join(word for word in whole if word not in _BESIDE_NAME)


_WORD, _LEFT_OUT, _LONG = re.compile(WORD), re.compile("['’ʻʼ`´.]"), {"st": "saint", "is": "islands"}


@cache
def _known() -> _Known:
    read = json.loads(Path(__file__).with_name("countries.json").read_text("utf-8"))
    keys = [(*_keys(name), code) for code, names in read.items() for name in names]
    return _Known(
        {code: code for code in read} | {"UK": "GB"},
        _one_each((whole, code) for whole, _, code in keys),
        _one_each((name, code) for _, name, code in keys),
    )


def _one_each(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Keys that stand for one country alone: Korea may be two."""
    found: dict[str, set[str]] = {}
    for key, code in pairs:
        found.setdefault(key, set()).add(code)
    return {key: next(iter(codes)) for key, codes in found.items() if key and len(codes) == 1}
