"""Write the names of months and days of the week in twelve languages of Europe, as Unicode's CLDR has them (by Babel)."""

import json
from pathlib import Path

from babel import Locale

LANGUAGES = ("en", "de", "es", "fr", "it", "nl", "pl", "pt", "ro", "ru", "tr", "uk")
PLACE = Path(__file__).parents[1] / "src/updraft/core/values/languages.json"


def names(kept: dict, number: int) -> list[str]:
    """All ways in which a language writes one month or day: in a date and alone, whole and short, without points."""
    ways = (
        kept[context][width][number]
        for context in ("format", "stand-alone")
        for width in ("wide", "abbreviated")
    )
    return sorted({way.lower().strip().removesuffix(".") for way in ways})


def made() -> dict[str, dict[str, list[list[str]]]]:
    found: dict[str, dict[str, list[list[str]]]] = {"months": {}, "weekdays": {}}
    for language in LANGUAGES:
        locale = Locale(language)
        found["months"][language] = [names(locale.months, month) for month in range(1, 13)]
        found["weekdays"][language] = [names(locale.days, day) for day in range(7)]
    return found


def text() -> str:
    """One line for each language."""
    parts = [
        f'  "{what}": {{\n'
        + ",\n".join(
            f'    "{language}": {json.dumps(named, ensure_ascii=False)}' for language, named in by.items()
        )
        + "\n  }"
        for what, by in made().items()
    ]
    return "{\n" + ",\n".join(parts) + "\n}\n"


if __name__ == "__main__":
    PLACE.write_text(text(), encoding="utf-8")
