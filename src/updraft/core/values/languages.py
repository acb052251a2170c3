"""Words of twelve languages of Europe that stand for months, weekdays, yes and no, or nothing known.

Months and weekdays as Unicode's CLDR has them (written by tools/languages.py).
"""

from __future__ import annotations

import json
from collections.abc import Collection
from functools import cache
from pathlib import Path
from typing import Literal

# Yes and no of one language, the words that answers are written in.
ANSWERS: dict[str, tuple[str, str]] = {
    "en": ("yes", "no"),
    "de": ("ja", "nein"),
    "es": ("sí", "no"),
    "fr": ("oui", "non"),
    "it": ("sì", "no"),
    "nl": ("ja", "nee"),
    "pl": ("tak", "nie"),
    "pt": ("sim", "não"),
    "ro": ("da", "nu"),
    "ru": ("да", "нет"),
    "tr": ("evet", "hayır"),
    "uk": ("так", "ні"),
}
_PLAIN = ({"si", "sí", "sì"}, {"no"})  # the accent is often left out, and then tells no language
# What spreadsheets write where a formula has no result, in their languages.
ERRORS = frozenset({
    "#n/a", "#num!", "#value!", "#div/0!", "#ref!", "#name?", "#null!", "#wert!", "#nv", "#bezug!",
    "#zahl!", "#valeur!", "#nom?", "#nombre!", "#nul!", "#n/d", "#¿nombre?", "#¡valor!", "#¡ref!",
    "#¡num!", "#¡div/0!", "#valor!", "#núm!", "#valore!", "#rif!", "#nome?", "#waarde!", "#verw!",
    "#naam?", "#getal!", "#n/b", "#deel/0!", "#arg!", "#adr!", "#liczba!", "#nazwa?", "#n/d!", "#nume?",
    "#valoare!", "#знач!", "#ссылка!", "#имя?", "#число!", "#дел/0!", "#н/д", "#değer!", "#başv!",
    "#ad?", "#yok", "#sayi/0!", "#знач", "#посил!",
})  # fmt: skip
# What people write where nothing is known.
UNKNOWN = frozenset({
    "k.a.", "k. a.", "k.a", "keine angabe", "keine angaben", "o.a.", "o. a.", "s/d", "s.d.", "s. d.",
    "n/d", "n.d.", "sin datos", "n.c.", "n.r.", "non disponible", "non renseigné", "n.v.t.", "onbekend",
    "b.d.", "b. d.", "brak", "brak danych", "nie dotyczy", "fără date", "н/д", "б/д", "нет данных",
    "немає даних", "bilinmiyor", "yok", "keine daten", "não disponível", "non disponibile",
    "no disponible",
})  # fmt: skip


def are_answers(words: Collection[str]) -> bool:
    """Whether lower-case words are yes and no of one language, and neither anything else."""
    found = set(words)
    alike = [{yes, no} for yes, no in ANSWERS.values()] + [_PLAIN[0] | _PLAIN[1]]
    return len(found) > 1 and any(found <= pair for pair in alike)


def answers(yes: bool) -> list[str]:
    """All words for yes, or for no."""
    more = _PLAIN[0] if yes else set()
    return sorted({pair[0 if yes else 1] for pair in ANSWERS.values()} | more)


@cache
def months() -> dict[str, int]:
    """Lower-case name of a month, whole or short and without a point → 1 to 12. None means two."""
    return _numbered("months")


@cache
def weekdays() -> dict[str, int]:
    """Lower-case name of a day of the week → 1 for Monday to 7, for a word of two days the first."""
    return _numbered("weekdays")


def calendar_words(what: Literal["months", "weekdays"]) -> dict[str, list[str]]:
    """Language → all its lower-case words, whole and short and without points, for months or weekdays."""
    return {language: [word for words in of for word in words] for language, of in _kept(what).items()}


# Languages in which a month has one name, and whether it is written large.
NAMED = {"en": True, "de": True, "tr": True, "es": False, "fr": False, "it": False, "nl": False,
         "pt": False, "ro": False}  # fmt: skip


def month_names(language: str) -> list[str]:
    """The twelve months in one of the languages of `NAMED`."""
    return _names("months", language)


def weekday_names(language: str) -> list[str]:
    """The seven days of the week from Monday in one of the languages of `NAMED`."""
    return _names("weekdays", language)


@cache
def _names(what: str, language: str) -> list[str]:
    longest = [max(words, key=len) for words in _kept(what)[language]]
    return [word.capitalize() for word in longest] if NAMED[language] else longest


@cache
def _kept(what: str) -> dict[str, list[list[str]]]:
    read = json.loads(Path(__file__).with_name("languages.json").read_text("utf-8"))
    return read[what]  # type: ignore[no-any-return]


def _numbered(what: str) -> dict[str, int]:
    found: dict[str, int] = {}
    for of in _kept(what).values():
        for number, words in enumerate(of, 1):
            for word in words:
                found.setdefault(word, number)
    return found
