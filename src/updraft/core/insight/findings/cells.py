"""10 and 11: several values in one cell, compound cells, values only on the first row of a group, values as columns."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache

import polars as pl

from updraft.core.insight.findings.model import Finding, Repair, chosen, plural, short, step, where
from updraft.core.insight.findings.view import Column, View
from updraft.core.values.languages import calendar_words

_SIGNS = ("; ", ";", " | ", "|", " / ", "/", ", ", ",", " + ", " & ", " and ", " und ", " et ", " y ", " e ")
_SIGN = r"[;|/,+&]| (and|und|et|y|e) "
_COMPOUND = (" - ", " – ", " / ", "/", " | ", "|", "; ", ";", ": ", ", ", ",", " x ", "_", " (")


def packed_cells(view: View) -> Iterator[Finding]:
    """Lists in cells: parts that come again in other cells, a different number of them from cell to cell.

    Threshold: at least three cells and 2 % of the filled ones hold several parts, the parts come three times on average,
    and at least half of them stand in several cells.
    """
    for column in view.texts:
        lines = _in_lines(column)
        words = column.counts if lines else column.meant
        if not words.height or column.filled < 10 or (column.role == "free" and not lines):
            continue
        if not lines and not words["value"].str.contains(_SIGN).any():
            continue
        for sign in ("\n",) if lines else _SIGNS:
            if not words["value"].str.contains(sign, literal=True).any():
                continue
            with_sign = words.filter(pl.col("value").str.contains(sign, literal=True))
            many = int(with_sign["n"].sum())
            if many < 3 or many * 50 < column.filled or with_sign["value"].str.contains(r"\d[,/]\d").all():
                continue
            parts = words.select(pl.col("value").str.split(sign).alias("parts"), "n")
            sizes = parts.select(pl.col("parts").list.len().alias("s"), "n")
            each = (
                parts.explode("parts", empty_as_null=True)
                .select(pl.col("parts").str.strip_chars().alias("part"), "n")
                .filter(pl.col("part") != "")
            )
            kinds = each.group_by("part").agg(pl.col("n").sum(), pl.len().alias("cells"))
            in_several = float(kinds.filter(pl.col("cells") > 1)["n"].sum()) / max(float(kinds["n"].sum()), 1)
            if (
                sizes["s"].n_unique() < 2
                or kinds.height * 3 > int(kinds["n"].sum())
                or in_several < 0.5
                or _shaped(each["part"])
            ):
                continue
            if kinds["part"].str.len_chars().mean() > 30 or _is_one_thing(words, with_sign, sign):  # type: ignore[operator]
                continue
            rows = (
                column.rows_with(with_sign["value"])
                if lines
                else column.rows_meaning(with_sign["value"].to_list())
            )
            told = sign if sign.strip().isalpha() else sign.strip() or sign
            between = "line breaks" if lines else f"“{told.strip()}”"
            yield Finding(
                "several_values",
                (column.name,),
                rows.len(),
                f"{plural(rows.len(), 'cell', 'cells')} of {column.name} {'holds' if rows.len() == 1 else 'hold'} several values, with {between} between",
                "A cell with two values belongs to neither in a count or a join. Said where the parts come again and again, alone or with others.",
                short(with_sign["value"]),
                rows,
                (
                    Repair(
                        f"Make a row for each value of {column.name}",
                        (step("split_column", column=column.name, at=told, into="rows"),),
                    ),
                ),
                where(column.name, "contains", value=told),
                weight=56,
            )
            break


def _in_lines(column: Column) -> bool:
    """Whether cells have lines within, which tidied text has not."""
    return column.untidy and bool(
        column.counts["value"].str.strip_chars().str.contains("\n", literal=True).any()
    )


def _shaped(parts: pl.Series) -> bool:
    """Whether the parts are bits of a date or a number, not values."""
    return bool(parts.str.contains(r"^\d{1,4}$").mean() > 0.5)  # type: ignore[operator]


def _is_one_thing(words: pl.DataFrame, with_sign: pl.DataFrame, sign: str) -> bool:
    """Whether no part of a cell with the sign ever stands alone: then the sign belongs to the name."""
    alone = words.filter(~pl.col("value").str.contains(sign, literal=True))["value"]
    parts = with_sign.select(
        pl.col("value").str.split(sign).explode(empty_as_null=True).str.strip_chars().alias("p")
    )["p"].unique()
    return bool(parts.is_in(alone.implode()).mean() < 0.5)  # type: ignore[operator]


def compound_cells(view: View) -> Iterator[Finding]:
    """Cells of always the same parts, of different nature: a code and a name, a place and a number.

    Threshold: 98 % of the filled cells, and ten, have the same number of parts (two to four); the parts differ in
    nature (digits against letters), or one of them has far fewer values than the whole.
    """
    for column in view.texts:
        words = column.meant
        if (
            not words.height
            or column.filled < 10
            or column.distinct < 5
            or words["value"].str.len_chars().mean() > 60  # type: ignore[operator]
        ):
            continue
        if (
            words["value"]
            .head(50)
            .str.contains(r"^\s*\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}|^[\d.,\s/-]+$|://|@")
            .any()
        ):
            continue
        first = words["value"].head(200).to_list()
        for sign in _COMPOUND:
            if sum(sign in text for text in first) * 10 < len(first) * 9:
                continue
            sizes = words.select(pl.col("value").str.count_matches(sign, literal=True).alias("s"), "n")
            most = sizes.group_by("s").agg(pl.col("n").sum()).sort("n", descending=True)
            size, many = most.row(0)
            if not 1 <= size <= 3 or many < 0.98 * float(words["n"].sum()):
                continue
            split = words.select(pl.col("value").str.splitn(sign, int(size) + 1).struct.unnest(), "n")
            parts = [
                split.select(pl.col(f"field_{n}").str.strip_chars().alias("p"), "n").filter(pl.col("p") != "")
                for n in range(int(size) + 1)
            ]
            natures = [_nature(part["p"]) for part in parts]
            fewer = min(part["p"].n_unique() for part in parts)
            if any(part["n"].sum() < 0.95 * float(words["n"].sum()) for part in parts):
                continue
            if any(part["p"].n_unique() == 1 for part in parts):
                continue  # a prefix that all share is no part
            if "mixed" in natures and len(set(natures)) == 1:
                continue
            if len(set(natures)) < 2 and not (
                fewer * 3 <= words.height and words.height >= 12 and sign not in (", ", ",", "/", "_", ": ")
            ):
                continue
            names = _part_names(column.name, len(parts), view)
            yield Finding(
                "compound_cells",
                (column.name,),
                column.filled,
                f"Every cell of {column.name} holds {len(names)} parts, with “{sign.strip() or sign}” between",
                "Parts in one cell cannot be counted or joined one by one. Said where 98 % of the cells have the same number of parts, and the "
                "parts are of different nature or one of them has far fewer values.",
                short(words["value"]),
                (~column.blank).arg_true(),
                (
                    Repair(
                        f"Split {column.name} into {', '.join(names)}",
                        (step("split_column", column=column.name, at=sign, into="columns", names=names),),
                    ),
                ),
                where(column.name, "contains", value=sign),
                weight=40,
            )
            break


def _nature(parts: pl.Series) -> str:
    if not parts.len():
        return "none"
    shares = {
        "digits": parts.str.contains(r"^[\d.,]+\s?[\p{L}%]{0,3}$").mean(),
        "code": parts.str.contains(r"^[\p{Lu}\d-]*\d[\p{Lu}\d-]*$").mean(),
        "letters": parts.str.contains(r"^[^\d]+$").mean(),
    }
    best = max(shares, key=lambda key: float(shares[key]))  # type: ignore[arg-type]
    return best if float(shares[best]) >= 0.95 else "mixed"  # type: ignore[arg-type]


def _part_names(name: str, many: int, view: View) -> list[str]:
    taken = set(view.frame.columns) - {name}
    names: list[str] = []
    for place in range(many):
        fresh = f"{name} {place + 1}"
        while fresh in taken or fresh in names:
            fresh += "'"
        names.append(fresh)
    return names


def sparse_groups(view: View) -> Iterator[Finding]:
    """Values that stand only on the first row of their group, the rest of which is left empty.

    Threshold: the first column, and those that follow it and are alike; the first row filled; 20 to 95 % of the cells empty;
    no value begins two groups (one in ten may); two groups of three have more than one row; columns to the right are filled.
    """
    if view.height < 8 or len(view.columns) < 2:
        return
    found: list[Column] = []
    for column in view.columns[: max(1, (len(view.columns) + 1) // 2)]:
        empty = column.empty
        if (
            column.nested
            or column.place > len(found)
            or not 0.2 * view.height <= empty <= 0.95 * view.height
            or bool(column.blank[0])
            or column.role == "free"
        ):
            continue
        right = [c for c in view.columns if c.place > column.place and c.filled >= 0.9 * view.height]
        if not right or column.distinct < 2 or column.distinct < 0.9 * column.filled:
            continue
        if column.is_number and column.kind.value == "number":
            continue
        # Groups of one row each next to long empty stretches are remarks, not groups.
        runs = column.blank.rle().struct.unnest()
        gaps = runs.filter(runs["value"])["len"]
        if gaps.len() < 2 or column.filled > 1.5 * (gaps.len() + 1):
            continue
        found.append(column)
    if found:
        names = [c.name for c in found]
        rows = found[0].blank.arg_true()
        yield Finding(
            "fill_down",
            tuple(names),
            rows.len(),
            f"{_listed(names)} {'stands' if len(names) == 1 else 'stand'} only on the first row of each group",
            "The other rows of the group belong to nothing when the table is sorted, filtered or counted. Said of columns on the left whose first "
            "row is filled, 20 to 95 % are empty, and hardly any value begins two groups.",
            short(found[0].texts(found[0].series.drop_nulls().head(5))),
            rows,
            (Repair(f"Fill {_listed(names)} down", (step("fill_gaps", columns=names, by="down"),)),),
            where(names[0], "empty"),
            weight=84,
        )


def _listed(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


_MONTHS = "jan(uary)?|feb(ruary)?|mar(ch)?|apr(il)?|may|june?|july?|aug(ust)?|sept?(ember)?|oct(ober)?|nov(ember)?|dec(ember)?"
_DAYS = "mon(day)?|tue(s|sday)?|wed(nesday)?|thu(rs|rsday)?|fri(day)?|sat(urday)?|sun(day)?"
_SERIES = (
    (
        "Month",
        rf"(?i)^({_MONTHS})[\s.'-]*(\d{{2}}|\d{{4}})?$|^(19|20)\d\d[-/.](0[1-9]|1[0-2])$|^(0[1-9]|1[0-2])[-/.](19|20)\d\d$",
    ),
    ("Year", r"^(19|20)\d\d$"),
    ("Quarter", r"(?i)^q[1-4]([\s/-]*(19|20)?\d\d)?$|^(19|20)\d\d[\s/-]*q[1-4]$"),
    ("Weekday", rf"(?i)^({_DAYS})$"),
    ("Day", r"^\d{4}-\d\d-\d\d$|^\d{1,2}[./]\d{1,2}[./](\d{4}|\d\d)$"),
)


@cache
def _in_other_languages() -> list[tuple[str, str]]:
    """The series of months and of weekdays in each language but English."""
    series = (
        ("Month", calendar_words("months"), r"[\s.'-]*(\d{2}|\d{4})?$"),
        ("Weekday", calendar_words("weekdays"), r"\.?$"),
    )
    return [
        (title, f"(?i)^({'|'.join(sorted(set(words), key=len, reverse=True))}){behind}")
        for title, of, behind in series
        for language, words in of.items()
        if language != "en"
    ]


def values_as_columns(view: View) -> Iterator[Finding]:
    """Columns whose names are values of one series: months, years, quarters, weekdays, days, or one stem with numbers.

    Threshold: three columns of a calendar, four of a stem with numbers that are years or run without a gap; all of numbers,
    or all of one kind. Not where each holds only 0 and 1 (they say which, as numbers), nor where the stem itself is a column.
    """
    names = [c.name for c in view.columns]
    for title, pattern in [*_SERIES, *_in_other_languages()]:
        fits = [name for name in names if re.search(pattern, name.strip())]
        if len(fits) >= 3 and len(fits) < len(names) and _one_kind(view, fits) and not _flags(view, fits):
            yield _as_rows(view, fits, title, pattern)
            return
    stems: dict[str, list[str]] = {}
    for name in names:
        match = re.fullmatch(r"(\D{1,30}?)[\s_-]*\d{1,4}", name.strip())
        if match and match.group(1).strip():
            stems.setdefault(match.group(1).strip(), []).append(name)
    for stem, fits in stems.items():
        if (
            len(fits) >= 4
            and len(fits) < len(names)
            and not re.fullmatch(r"(?i)(column|field|unnamed:?|f|_)", stem)
            and stem not in names
            and not re.search(r"[()\[\]]|\.$", stem)
            and _runs(fits)
            and _one_kind(view, fits)
            and not _flags(view, fits)
        ):
            yield _as_rows(view, fits, stem, rf"^{re.escape(stem)}[\s_.-]*\d{{1,4}}$")
            return


def _runs(names: list[str]) -> bool:
    """Whether the numbers behind a stem are years, or follow each other from 0 or 1."""
    numbers = sorted(int(re.findall(r"\d+", name)[-1]) for name in names)
    years = all(1900 <= n <= 2100 for n in numbers)
    return years or (numbers[0] <= 1 and numbers == list(range(numbers[0], numbers[0] + len(numbers))))


def _flags(view: View, names: list[str]) -> bool:
    """Whether each column holds but 0 and 1: a category spread over columns for a model, not measures."""
    return all(
        c.is_number and c.distinct <= 2 and c.counts["value"].cast(pl.Float64).is_in([0.0, 1.0]).all()
        for c in (view.column(name) for name in names)
    )


def _one_kind(view: View, names: list[str]) -> bool:
    columns = [view.column(name) for name in names]
    filled = [c for c in columns if c.filled]
    return bool(filled) and (
        all(c.numbers is not None for c in filled)
        or (len({c.kind for c in filled}) == 1 and not filled[0].is_text)
    )


def _as_rows(view: View, names: list[str], title: str, pattern: str) -> Finding:
    taken = {c.name for c in view.columns} - set(names)
    title = title if title not in taken else f"{title} 2"
    value = next(
        name for name in ("Value", "Amount", "Figure", "Cell value") if name not in taken and name != title
    )
    return Finding(
        "values_as_columns",
        tuple(names),
        len(names),
        f"{len(names)} columns are values: {names[0]}, {names[1]} … {names[-1]}",
        "With a column for each of them, next month brings another column, and no step can count over them. Said where the names of three "
        "columns (four, for a stem with numbers) are of one series and the columns of one kind.",
        short(names),
        repairs=(
            Repair(
                f"Make rows of them, with columns {title} and {value}",
                (
                    step(
                        "columns_to_rows",
                        columns={"by": "pattern", "pattern": pattern},
                        name=title,
                        value=value,
                    ),
                ),
            ),
            Repair(
                "Make rows of just these columns",
                (step("columns_to_rows", columns=chosen(names), name=title, value=value),),
            ),
        ),
        weight=46,
    )
