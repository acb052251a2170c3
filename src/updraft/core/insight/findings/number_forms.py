"""How numbers in texts are written: their marks, signs and units."""

from __future__ import annotations

import math

import polars as pl

from updraft.core.values import FORMATS, Kind, converted
from updraft.core.values.convert import INDIAN
from updraft.core.values.dressed import CURRENCY, SIGNS, UNITS


def without_rare_units(reads: pl.DataFrame) -> pl.DataFrame:
    """Where lengths in feet and inches stand beside numbers, and a unit behind few of these, the others may be of any: those
    with one are no numbers of the column then, but cells for a person to look at.
    """
    feet = reads.filter(~pl.col("reads") & pl.col("value").str.contains("\\d\\s*['’′]\\s*\\d"))
    bare = pl.col("unit").is_in(["", "%"])
    dressed = int(reads.filter(pl.col("reads") & ~bare)["n"].sum())
    if not feet.height or dressed * 20 > int(reads.filter("reads")["n"].sum()):
        return reads
    return reads.with_columns(pl.col("reads") & bare)


def are_longer_codes(rest: pl.DataFrame) -> bool:
    """Whether what is no number is two groups of digits: a code that some people write longer, as postcodes are."""
    longer = rest.filter(pl.col("value").str.contains(r"^\d{3,}-\d{3,}$"))
    return bool(longer.height and longer["n"].sum() * 2 > rest["n"].sum())


def is_unit(values: pl.DataFrame) -> pl.Series:
    """Whether what stands behind the number is a unit: a known one, or the same sign behind at least half of the numbers."""
    own = values.filter(pl.col("unit") != "").group_by("unit").agg(pl.col("n").sum())
    usual = own.filter(pl.col("n") * 2 >= int(values["n"].sum()))["unit"].to_list()
    return values["unit"].is_in(["", "%", *UNITS, *usual]).fill_null(False)


def forms_of(values: pl.DataFrame) -> list[str]:
    """The number forms these bare texts need, by the values that only one of them reads; both, when none decides."""
    marked = values.filter(pl.col("bare").str.contains(r"[.,'’\s\u{a0}\u{202f}]"))
    if not marked.height:
        return ["1,234.5"]
    reads = {
        form: converted("bare", pl.String(), Kind.NUMBER, [form]).is_not_null()
        for form in FORMATS[Kind.NUMBER]
    }
    facts = marked.select("n", **reads)
    point, comma, space, high, hundreds = (pl.col(form) for form in FORMATS[Kind.NUMBER])
    # “1,5” has a decimal comma whether or not thousands would be set apart by blanks.
    single = {
        "1,234.5": point & ~comma & ~space,
        "1.234,5": comma & ~point,
        "1 234,5": space & ~point & ~comma,
        "1'234.5": high & ~point & ~comma & ~space,
        INDIAN: hundreds & ~point & ~comma & ~space,
    }
    only = {form: int(facts.filter(test)["n"].sum()) for form, test in single.items()}
    needed = sorted((form for form in only if only[form]), key=lambda form: -only[form])
    if "1,234.5" in needed and _are_decimals(marked):
        return ["1 234,5", "1,234.5"]
    both = marked["bare"].str.contains(",", literal=True) & marked["bare"].str.contains(".", literal=True)
    if set(needed) == {"1,234.5", "1.234,5"} and not both.any():
        return ["1 234,5", "1,234.5"]  # both signs stand before decimals, and no thousands are marked
    if needed:
        return needed
    # "1.234" alone could be either; a point is a decimal point unless groups of three digits are all there is.
    grouped = marked["bare"].str.contains(r"^\d{1,3}([.,]\d{3})+$").all()
    if grouped and marked["bare"].str.contains(",", literal=True).any():
        return ["1,234.5", "1.234,5"]
    return ["1,234.5"]


def _are_decimals(marked: pl.DataFrame) -> bool:
    """Whether “7,431” among numbers with a decimal point is 7.431: three digits behind a comma, and as thousands far too large."""
    commas = (
        marked.filter(pl.col("bare").str.contains(r"^\d{1,3},\d{3}$"))["bare"]
        .str.replace(",", ".")
        .cast(pl.Float64)
    )
    points = marked.filter(pl.col("bare").str.contains(r"^\d+\.\d+$"))["bare"].cast(pl.Float64)
    usual, found = points.median(), commas.median()
    if not isinstance(usual, float) or not isinstance(found, float) or usual <= 0 or found <= 0:
        return False
    if points.len() and (points * 100 == (points * 100).round()).mean() > 0.5:  # type: ignore[operator]
        return False  # amounts of cents: “1,200” among them is a thousand
    return abs(math.log10(found / usual)) < 1 and float(points.max() or 0) < 100 * usual  # type: ignore[arg-type]


def is_undecided(good: pl.DataFrame) -> bool:
    twice = good.select(
        converted("bare", pl.String(), Kind.NUMBER, ["1,234.5"]).alias("point"),
        converted("bare", pl.String(), Kind.NUMBER, ["1.234,5"]).alias("comma"),
    )
    return bool(
        (
            twice["point"].is_not_null() & twice["comma"].is_not_null() & (twice["point"] != twice["comma"])
        ).any()
    )


def is_code(good: pl.DataFrame) -> bool:
    bare = good["bare"]
    if bare.str.contains(r"^0\d").any() or bare.str.contains(r"^\d{16}").any():
        return True
    if good["value"].str.contains(r"^\s*\+\s*\d").any():
        return True
    # “809,829,849” is a list of three-digit codes when every number with commas begins with three digits, too.
    commas = bare.filter(bare.str.contains(r"^\d{1,3}(,\d{3})+$"))
    lists = commas.str.contains(r"^\d{3},\d{3},\d{3}").any() or commas.len() >= 3
    return bool(lists and commas.str.contains(r"^\d{3},").all())


def reasons_for(good: pl.DataFrame, forms: list[str]) -> list[str]:
    value = pl.col("value")
    # The mark before three last digits stands for decimals where it is that of the form: 0.125.
    own = {"1,234.5": ",", "1.234,5": ".", INDIAN: ",", "1'234.5": ""}
    marks = "".join(own.get(form, ",.") for form in forms or ["1,234.5"])
    apart = rf"[{marks}'’\s\u{{a0}}\u{{202f}}]"
    facts = good.select(
        currency=value.str.contains(CURRENCY).any(),
        percent=(pl.col("unit") == "%").any(),
        brackets=value.str.starts_with("(").any(),
        behind=value.str.contains(r"\d\s*[-−–]$").any(),
        thousands=pl.col("bare").str.contains(rf"\d{apart}\d{{3}}([.,'\s\u{{a0}}\u{{202f}}]|$)").any(),
    ).row(0, named=True)
    comma = any(form in ("1.234,5", "1 234,5") for form in forms)
    comma = comma and bool(good["bare"].str.contains(r",\d+$").any())
    words = [
        ("currency", facts["currency"]),
        ("percent signs", facts["percent"]),
        ("brackets for negatives", facts["brackets"]),
        ("a minus behind", facts["behind"]),
        ("a decimal comma" + (" and a decimal point" if "1,234.5" in forms else ""), comma),
        ("thousands marks", facts["thousands"]),
    ]
    return [text for text, here in words if here]


def telling(good: pl.DataFrame) -> list[str]:
    """Examples that are not plain digits, if there are any."""
    return (
        good.sort(pl.col("value").str.contains(r"^-?\d+(\.\d+)?$"), maintain_order=True)["value"]
        .head(5)
        .to_list()
    )


def letters_for_digits(odd: pl.Series, forms: list[str]) -> dict[str, str]:
    """Cells that are numbers once letters that look like digits are those digits."""
    plain = odd.str.replace_all("[Oo]", "0").str.replace_all("[lI]", "1")
    frame = pl.DataFrame({"odd": odd, "plain": plain}).filter(
        pl.col("odd").str.contains(r"\d") & (pl.col("odd") != pl.col("plain"))
    )
    fits = frame.filter(converted("plain", pl.String(), Kind.NUMBER, forms).is_not_null())
    return dict(fits.iter_rows())


def currencies_in(good: pl.DataFrame) -> int:
    """How many currencies stand in the cells."""
    return good["value"].str.extract(f"({CURRENCY})").drop_nulls().replace(SIGNS).n_unique()
