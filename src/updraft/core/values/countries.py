"""Countries by any of their names: in sixty languages and their own, as ISO 3166 has them, and their codes.

The names are Unicode's CLDR (written by tools/countries.py).
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from functools import cache
from pathlib import Path

import polars as pl

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


def countries(texts: pl.Series) -> pl.Series:
    """For texts, the country's two letters (ISO 3166-1) each; null where a text names none, or may
    name several.
    """
    keys = _keys(texts)
    by_whole, by_name, by_code = _known()
    whole = keys["whole"].replace_strict(by_whole, default=None, return_dtype=pl.String)
    name = keys["name"].replace_strict(by_name, default=None, return_dtype=pl.String)
    # Two letters are a code only if they are capitals: “is” and “in” are words.
    code = texts.str.strip_chars().replace_strict(by_code, default=None, return_dtype=pl.String)
    frame = pl.DataFrame({"code": code, "whole": whole, "name": name})
    return frame.select(pl.coalesce("code", "whole", "name").alias("country")).to_series()


def _keys(texts: pl.Series) -> pl.DataFrame:
    """The words of each text in no order: `whole`, and `name`, without the words of full names."""
    text = texts.alias("text").to_frame().lazy()
    plain = pl.col("text").str.normalize("NFKD").str.replace_all(r"\p{M}", "").str.to_lowercase()
    bare = plain.str.replace_all("['’ʻʼ`´.]", "").str.replace_all(r"\bst\b", "saint")
    words = bare.str.replace_all(r"\bis\b", "islands").str.extract_all(r"[\p{L}\p{N}]+")
    element = pl.element()
    whole = words.list.eval(element.filter(~element.is_in(_IN_NO_NAME)))
    name = whole.list.eval(element.filter(~element.is_in(_BESIDE_NAME)))
    keys = text.select(whole=whole.list.sort().list.join(" "), name=name.list.sort().list.join(" "))
    return keys.collect()


@cache
def _known() -> tuple[dict[str, str], dict[str, str], dict[str, str]]:
    """Countries by whole names, by what these name beside what a country is, and by two letters."""
    read = json.loads(Path(__file__).with_name("countries.json").read_text("utf-8"))
    named = [(name, code) for code, names in read.items() for name in names]
    keys = _keys(pl.Series([name for name, _ in named]))
    codes = [code for _, code in named]
    return (
        _one_each(zip(keys["whole"], codes, strict=True)),
        _one_each(zip(keys["name"], codes, strict=True)),
        {code: code for code in read} | {"UK": "GB"},
    )


def _one_each(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Keys that stand for one country alone: Korea may be two."""
    found: dict[str, set[str]] = {}
    for key, code in pairs:
        found.setdefault(key, set()).add(code)
    return {key: next(iter(codes)) for key, codes in found.items() if key and len(codes) == 1}
