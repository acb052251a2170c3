"""What stands in cells: answers in several words, entities of HTML, JSON, addresses that are none, impossible values."""

from __future__ import annotations

import html
import json
from collections.abc import Iterator

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, plural, recode, short, step, where
from updraft.core.insight.findings.naming import bounds_of, words_of
from updraft.core.insight.findings.view import Column, View
from updraft.core.values import Kind
from updraft.core.values.languages import ANSWERS, answers, are_answers

_ENTITY = r"&(#\d{1,6}|#[xX][0-9a-fA-F]{1,5}|[A-Za-z][A-Za-z0-9]{1,20});"
_ANSWERS = {
    "yes": "yes/no", "no": "yes/no", "y": "y/n", "n": "y/n", "true": "true/false", "false": "true/false",
    "t": "t/f", "f": "t/f", "1": "1/0", "0": "1/0", "x": "x", "si": "si/no",
    **{word: "/".join(pair) for language, pair in ANSWERS.items() if language != "en" for word in pair if word != "no"},
}  # fmt: skip
_READ = frozenset(
    {"yes", "no", "y", "n", "true", "false", "1", "0", "x", *answers(True), *answers(False)}
)  # as Set types does
# What it is called, words of a name, the shape nine of ten must have.
_SHAPES = (
    ("an e-mail address", frozenset({"mail", "email"}), r"^[^@\s,;<>]+@[^@\s,;<>]+\.[^@\s.,;<>]{2,}$"),
    ("a web address", frozenset({"url", "link", "website", "homepage", "web"}), r"^(https?://)?[^\s/.@]+(\.[^\s/.@]+)+(/\S*)?$"),
    ("a telephone number", frozenset({"phone", "telephone", "tel", "mobile", "fax"}), r"^\+?[\d(][\d\s().\-/]{5,22}(\s?(x|ext\.?)\s?\d+)?$"),
)  # fmt: skip
# Country, as names and codes have it → the shape of its postcodes (Universal Postal Union's postcode descriptions).
_POSTCODES = {
    r"^\d{5}$": "de deu germany fr fra france it ita italy es esp spain fi fin finland ee est estonia hr hrv croatia",
    r"^\d{4}$": "at aut austria ch che switzerland be bel belgium dk dnk denmark no nor norway hu hun hungary au aus australia",
    r"^\d{5}(-\d{4})?$": "us usa states",
    r"^[A-Z]{1,2}\d[A-Z\d]?\s?\d[A-Z]{2}$": "gb gbr uk kingdom",
    r"^\d{4}\s?[A-Z]{2}$": "nl nld netherlands",
    r"^[A-Z]\d[A-Z]\s?\d[A-Z]\d$": "ca can canada",
    r"^\d{2}-\d{3}$": "pl pol poland",
    r"^\d{3}\s?\d{2}$": "se swe sweden cz cze czechia sk svk slovakia",
    r"^\d{4}-\d{3}$": "pt prt portugal",
}


def html_entities(view: View) -> Iterator[Finding]:
    """Letters written as HTML entities (&amp;amp;, &amp;#39;), as pages hold them. Threshold: one cell that is no page itself."""
    for column in view.texts:
        values = column.counts.filter(
            pl.col("value").str.contains(_ENTITY) & ~pl.col("value").str.contains(r"<[A-Za-z/!]")
        )
        changes = {v: html.unescape(v) for v in values["value"] if html.unescape(v) != v}
        if not changes or any(not new.strip() for new in changes.values()):
            continue
        rows = column.rows_with(list(changes))
        old, new = next(iter(changes.items()))
        yield Finding(
            "html_entities",
            (column.name,),
            rows.len(),
            f"Letters are written as entities of HTML in {plural(rows.len(), 'cell', 'cells')} of {column.name}",
            f"“{short([old])[0]}” is “{short([new])[0]}”, as a web page writes it; it equals no other spelling.",
            short(changes),
            rows,
            (Repair(f"Write the letters of {column.name} themselves", (recode(column.name, changes),)),)
            if len(changes) <= 2000
            else (),
            where(column.name, "matches", value=_ENTITY),
            weight=69,
        )


def yes_no_words(view: View) -> Iterator[Finding]:
    """Columns of answers only, in words of more than one kind (yes, Y, true). Threshold: five cells."""
    for column in view.texts:
        if column.filled < 5 or column.distinct > 24:
            continue
        words = column.meant["value"].str.to_lowercase().unique().to_list()
        if len(words) < 2 or any(word not in _ANSWERS for word in words) or are_answers(words):
            continue
        kinds = {_ANSWERS[word] for word in words}
        if len(kinds) < 2 or kinds == {"1/0", "x"}:
            continue
        readable = all(word in _READ for word in words)
        yield Finding(
            "yes_no_words",
            (column.name,),
            column.filled,
            f"{column.name} says yes and no in several words: {', '.join(short(column.words['value'], 6))}",
            "One answer in several words is counted as several. Said of columns that hold nothing but answers.",
            short(column.words["value"], 6),
            (~column.blank).arg_true(),
            (
                Repair(
                    f"Set {column.name} to yes/no",
                    (step("set_types", columns=[{"column": column.name, "type": "yes_no"}]),),
                ),
            )
            if readable
            else (),
            weight=60,
        )


def json_cells(view: View) -> Iterator[Finding]:
    """Records or lists written as JSON in cells: nine of ten begin with a bracket, and those looked at can be read."""
    for column in view.texts:
        some = column.meant["value"].head(200)
        if some.len() < 3 or some.str.contains(r"^\s*[\[{]").mean() < 0.9:  # type: ignore[operator]
            continue
        read = [_parsed(text) for text in some]
        if sum(isinstance(one, dict | list) for one in read) * 10 < len(read) * 9:
            continue
        yield Finding(
            "json_cells",
            (column.name,),
            column.filled,
            f"{column.name} holds {'records' if any(isinstance(one, dict) for one in read) else 'lists'} written as JSON",
            "What stands in them can be neither counted nor joined. Said where nine of ten cells can be read as JSON.",
            short(some),
            (~column.blank).arg_true(),
            weight=42,
        )


def _parsed(text: str) -> object:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return None


_POSTAL = frozenset({"postcode", "zip", "zipcode", "postal", "plz"})
_LEAST_CODES = 20


def odd_shapes(view: View) -> Iterator[Finding]:
    """E-mail and web addresses, telephone numbers and postcodes that are none, where nine of ten of their column are.

    Threshold: ten filled cells, a tenth of them odd or two; the name says what the column is, or, for addresses, the values do; postcodes by the
    country in a column beside.
    """
    for column in view.texts:
        if column.filled < 10 or column.role == "free":
            continue
        words = set(words_of(column.name))
        for called, names, shape in _SHAPES:
            told = bool(names & words) or ({"e", "mail"} <= words and "mail" in names)
            if not told and (
                called != "an e-mail address" or not column.meant["value"].head(50).str.contains("@").all()
            ):
                continue
            fits = column.meant.with_columns(pl.col("value").str.contains(shape).alias("fits"))
            odd = fits.filter(~pl.col("fits"))
            many = int(odd["n"].sum())
            if many and many <= max(2, column.filled // 10):
                yield _odd(column, odd["value"], called)
            break
        if _POSTAL & words:
            yield from _postcodes(view, column)


def _odd(column: Column, values: pl.Series, called: str) -> Finding:
    rows = column.rows_meaning(values.to_list())
    rule = where(column.name, "one_of", values=values.to_list())
    return Finding(
        "odd_shapes",
        (column.name,),
        rows.len(),
        f"{plural(rows.len(), 'cell', 'cells')} of {column.name} {'is' if rows.len() == 1 else 'are'} not {called}",
        "Nothing can be sent there. Said where nine of ten cells have the shape.",
        short(values),
        rows,
        (Repair("Mark the rows", (step("mark_rows", name=f"{column.name} odd", rule=rule),)),)
        if values.len() <= 200
        else (),
        rule if values.len() <= 50 else None,
        weight=53,
    )


def _postcodes(view: View, column: Column) -> Iterator[Finding]:
    country = next((c for c in view.texts if {"country", "land", "nation"} & set(words_of(c.name))), None)
    if country is None:
        return
    shapes = {name: shape for shape, names in _POSTCODES.items() for name in names.split()}
    said = (
        view.frame.select(
            pl.col(column.name).str.strip_chars().alias("code"),
            pl.col(country.name).str.to_lowercase().str.extract(r"([\p{L}]+)\W*$").alias("land"),
        )
        .with_row_index("row")
        .drop_nulls()
    )
    odd = [
        part.filter(~pl.col("code").str.contains(shapes[land]))
        for (land,), part in said.group_by("land", maintain_order=True)
        if land in shapes
    ]
    wrong = pl.concat(odd) if odd else said.head(0)
    if wrong.height and wrong.height <= max(2, said.height // 10):
        yield Finding(
            "odd_shapes",
            (column.name, country.name),
            wrong.height,
            f"{plural(wrong.height, 'postcode', 'postcodes')} of {column.name} cannot be of the {country.name} beside",
            "Letters come back, and maps miss. Said where nine of ten fit their country.",
            short(wrong["code"]),
            wrong["row"].sort(),
            weight=53,
        )


def lost_zeros(view: View) -> Iterator[Finding]:
    """Postcodes of one digit less than the others, whose leading zero was lost when they were taken for numbers.

    Threshold: the name says postcode; figures alone; eight of ten of five digits and the others of four, some of them.
    """
    for column in view.columns:
        whole = column.kind is Kind.WHOLE
        if (
            column.filled < _LEAST_CODES
            or not (whole or column.is_text)
            or not _POSTAL & set(words_of(column.name))
        ):
            continue
        code = pl.col("value").cast(pl.String).str.strip_chars()
        sizes = column.counts.select(
            "value", "n", size=code.str.len_chars(), figures=code.str.contains(r"^\d+$")
        )
        short_ones = sizes.filter(pl.col("size") == 4)
        many, five = int(short_ones["n"].sum()), int(sizes.filter(pl.col("size") == 5)["n"].sum())
        if (
            not many
            or not sizes["figures"].all()
            or many + five < column.filled
            or five < 0.8 * column.filled
        ):
            continue
        rows = column.rows_with(short_ones["value"])
        formula = f"pad(text(column(\"{column.name}\")), 5, '0')"
        yield Finding(
            "odd_shapes",
            (column.name,),
            rows.len(),
            f"{plural(rows.len(), 'postcode', 'postcodes')} of {column.name} {'has' if rows.len() == 1 else 'have'} four digits, all others five",
            "A postcode that was taken for a number has lost its leading zero. Said of columns named so whose codes are figures alone.",
            short(column.texts(short_ones["value"])),
            rows,
            (
                Repair(
                    f"Fill {column.name} with zeros to five digits",
                    (step("calculate", columns=[{"name": column.name, "formula": formula}]),),
                ),
            )
            if not set('"\\') & set(column.name)
            else (),
            weight=55,
        )


def impossible_values(view: View) -> Iterator[Finding]:
    """Numbers that cannot be, by what the column is called: a latitude of 191, an age of 312, a month 15.

    Threshold: at most 5 % of the cells lie outside; of ages and percentages, with nothing between them and the others for
    a tenth of what is possible.
    """
    for column in view.columns:
        bounds = bounds_of(column.name)
        if bounds is None or not column.is_number or column.filled < 5:
            continue
        low, high = bounds
        numbers = column.series.cast(pl.Float64)
        wrong = ((numbers < low) | (numbers > high)).fill_null(False) & numbers.is_not_nan().fill_null(False)
        many = int(wrong.sum())
        if not many or many * 20 > column.filled:
            continue
        rest = numbers.filter(~wrong).drop_nulls()
        if high >= 100 and high != 180 and not _stand_off(rest, numbers.filter(wrong), high):
            continue  # houses grow older than people, and growth has no highest percentage
        rows = wrong.arg_true()
        rule = {
            "match": "any",
            "of": [
                {"column": column.name, "test": "less", "value": f"{low:g}"},
                {"column": column.name, "test": "more", "value": f"{high:g}"},
            ],
        }
        yield Finding(
            "impossible_values",
            (column.name,),
            many,
            f"{plural(many, 'value', 'values')} of {column.name} {'lies' if many == 1 else 'lie'} outside {low:g} to {high:g}",
            f"By its name {column.name} cannot be less or more. Said where at most 5 % are.",
            short(f"{v:g}" for v in numbers.gather(rows.head(5))),
            rows,
            (
                Repair(
                    "Mark the rows with a new column",
                    (step("mark_rows", name=f"{column.name} impossible", rule=rule),),
                ),
                Repair(
                    f"Make them empty in {column.name}",
                    (step("set_values", columns=[column.name], to="empty", rule=rule),),
                ),
            ),
            rule,
            weight=65,
        )


def _stand_off(rest: pl.Series, odd: pl.Series, high: float) -> bool:
    """Whether the odd numbers lie a tenth of the range above the others, which use a tenth of it themselves."""
    above = odd.filter(odd > high)
    if rest.len() < 5 or float(rest.max()) < high / 10:  # type: ignore[arg-type]
        return False
    return not above.len() or float(above.min()) - float(rest.max()) >= high / 10  # type: ignore[arg-type]
