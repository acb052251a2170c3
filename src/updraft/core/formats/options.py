"""How a file is to be read: what a person may say, and what was detected where they said nothing."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

import polars as pl

Format = Literal[
    "delimited", "fixed", "told", "workbook", "json", "json_lines", "xml", "parquet", "arrow", "sqlite"
]
TITLES: dict[Format, str] = {
    "delimited": "delimited text",
    "fixed": "fixed-width text",
    "told": "lines of names with values, or a log",
    "workbook": "workbook",
    "json": "JSON",
    "json_lines": "JSON Lines",
    "xml": "XML",
    "parquet": "Parquet",
    "arrow": "Arrow",
    "sqlite": "SQLite file",
}
Mark = Literal["fill", "bold", "strike", "comment"]


@dataclass(frozen=True)
class ReadOptions:
    """None (or empty) means: detect it, each time the file is read.

    Args:
        format: how the content is laid out.
        member: which file inside an archive; may hold * and ?.
        skip: lines (rows of a sheet) above the header, or above the data when there is none.
        skip_after: lines between the header and the data, such as one of units.
        header: whether the table has one: its first line, the last comment line above it that names as many
            columns, or none; `header_lines` how many lines it takes.
        delimiter, quote, escape: of delimited text; an empty quote means that there are none.
        widths: characters of each column of fixed-width text, the last one open.
        comment: lines that start with this are not data; "" means there are none.
        ragged: what happens to rows wider or narrower than the table.
        empty: texts that stand for no value, besides the empty text.
        mend: repair text that was read in a wrong encoding before it came here.
        sheet, sheets: one sheet, or several that are stacked ("*" for all).
        stack: whether columns of stacked sheets belong together by name or by place.
        sheet_column: whether the sheet's name is a column: where several are stacked, always, or never.
        range: cells such as B4:H200, or the name of a table or range of the workbook.
        merged: a merged cell's value in its first cell only, or in all of them.
        marks: (column, what) pairs: formatting that becomes a column of its own.
        records: where the records are in JSON or XML, a path such as /requests/*/lines.
        lists: lists inside records: kept as they are, expanded to rows, or left out.
        parent: fields that stand around the records and come with them: of the nearest record of a list by
            name (`outer.inner` for one within), of any other by path, such as /export/date.
        number: count the records in a column, as the key that nested records refer to.
        long: one row per value, with its path, instead of one per record.
        table: which table of a SQLite file.
        drop_empty: leave out columns that are empty throughout.
        notes: lines of notes below the table: left out, or kept as rows.
    """

    format: Format | None = None
    member: str | None = None
    skip: int | None = None
    skip_after: int | None = None
    header: Literal["first", "comment", "none"] | None = None
    header_lines: int | None = None
    delimiter: str | None = None
    quote: str | None = None
    escape: str | None = None
    encoding: str | None = None
    comment: str | None = None
    widths: tuple[int, ...] = ()
    ragged: Literal["widen", "cut", "leave_out"] = "widen"
    empty: tuple[str, ...] = ()
    mend: bool = False
    sheet: str | None = None
    sheets: tuple[str, ...] = ()
    stack: Literal["name", "place"] = "name"
    sheet_column: Literal["several", "always", "never"] = "several"
    range: str | None = None
    merged: Literal["first", "fill"] = "first"
    marks: tuple[tuple[str, Mark], ...] = ()
    records: str | None = None
    lists: Literal["keep", "expand", "leave_out"] = "keep"
    parent: tuple[str, ...] = ()
    number: bool = False
    long: bool = False
    table: str | None = None
    drop_empty: bool = False
    notes: Literal["leave_out", "keep"] = "leave_out"

    @property
    def names_lines(self) -> int:
        """How many lines name the columns, once they are detected."""
        return (self.header_lines or 1) if self.header == "first" else 0


@dataclass(frozen=True)
class Detected:
    """The options a file is read with, none of them open any more, and for the detected ones the reason.

    Args:
        choices: what else the file holds: `sheets`, their `rows`, `hidden` ones, `ranges`, `tables`,
            `members`.
        preamble: the lines left out above the header, as text.
        below: the rows left out under it, of units say.
        columns: the names of all columns of the file, also of those that were not read.
        tree: of nested data, the places in it.
    """

    format: Format
    options: ReadOptions
    reasons: dict[str, str] = field(default_factory=dict)
    choices: dict[str, tuple[str, ...]] = field(default_factory=dict)
    preamble: tuple[str, ...] = ()
    below: tuple[tuple[str | None, ...], ...] = ()
    columns: tuple[str, ...] = ()
    tree: Node | None = None


@dataclass
class Node:
    """A place in nested data, for a picture of it.

    Args:
        path: how it is addressed; `name` its last part.
        shape: list, record or value.
        count: how often it occurs; for a list, how many elements it has in all.
        fields: of a record or a list of records, the names inside.
        example: of a value, one of them.
    """

    path: str
    name: str
    shape: str = "value"
    count: int = 0
    fields: tuple[str, ...] = ()
    example: str = ""
    children: dict[str, Node] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        return {
            "path": self.path,
            "name": self.name,
            "shape": self.shape,
            "count": self.count,
            "fields": list(self.fields),
            "example": self.example,
            "children": [child.as_dict() for child in self.children.values()],
        }


@dataclass(frozen=True)
class Scan:
    """A file that is read part by part.

    Args:
        query: all of its rows, as `Reading` has them; what goes wrong in the middle is a PolarsError.
        notes: the last of its rows, as text, that are notes below the table.
    """

    query: pl.LazyFrame
    detected: Detected
    warnings: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reading:
    """What a reader returns. Text formats give text columns; others the types they store.

    Args:
        warnings: sentences about what was mended or looks odd.
        notes: the last rows, as text, that are notes below the table; None where the reader has not looked.
    """

    frame: pl.DataFrame
    detected: Detected
    warnings: tuple[str, ...] = ()
    notes: tuple[str, ...] | None = None
