"""How files are read, for every source that gets some: the settings, and what becomes of what was read."""

from dataclasses import fields
from typing import Literal

from updraft.core.formats import Reading, ReadOptions, differences
from updraft.core.formats.options import Detected
from updraft.core.problems import Problem
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.given import Result, Wanted
from updraft.core.steps.settings import Settings, setting
from updraft.core.values import decide
from updraft.core.values.decide import Decision

_TEXT = ["delimited", "fixed"]
_LINES = [*_TEXT, "workbook"]
_NESTED = ["json", "json_lines", "xml"]


_MOST_SKIPPED = 1_000_000  # lines


class MarkSetting(Settings):
    column: str
    what: Literal["fill", "bold", "strike", "comment"] = "fill"


class ReadingSettings(Settings):
    """How a file's content is read: shared by every source that gets files. Each field is one of
    ReadOptions.
    """

    format: (
        Literal[
            "delimited",
            "fixed",
            "told",
            "workbook",
            "json",
            "json_lines",
            "xml",
            "parquet",
            "arrow",
            "sqlite",
        ]
        | None
    ) = setting("Format", widget="format", default=None)
    member: str | None = setting("File inside", "may hold *", widget="among", default=None, among="members")
    sheet: str | None = setting(
        "Sheet", widget="among", default=None, among="sheets", open="the first with data"
    )
    sheets: tuple[str, ...] = setting(
        "Sheets below each other", "instead of one", widget="sheets", default=(), only=["workbook"]
    )
    stack: Literal["name", "place"] = setting(
        "Columns of several sheets belong together",
        widget="choice",
        default="name",
        only=["workbook"],
        more=True,
        labels={"name": "by name", "place": "by place"},
    )
    sheet_column: Literal["several", "always", "never"] = setting(
        "Sheet as a column",
        widget="choice",
        default="several",
        only=["workbook"],
        more=True,
        labels={"several": "of several", "always": "always", "never": "never"},
    )
    range: str | None = setting(
        "Range", "such as B4:H200, or a name", widget="range", default=None, only=["workbook"]
    )
    table: str | None = setting("Table", widget="among", default=None, among="tables", open="the largest")
    records: str | None = setting(
        "Records", "which list makes the rows", widget="records", default=None, only=_NESTED
    )
    lists: Literal["keep", "expand", "leave_out"] = setting(
        "Lists inside a record",
        widget="choice",
        default="keep",
        only=_NESTED,
        labels={"keep": "keep", "expand": "one row each", "leave_out": "leave out"},
    )
    parent: tuple[str, ...] = setting(
        "Bring from around",
        "fields of the records or the file that hold these",
        widget="around",
        default=(),
        only=_NESTED,
    )
    number: bool = setting(
        "Number the records",
        "the key that nested records refer to",
        widget="flag",
        default=False,
        only=_NESTED,
    )
    long: bool = setting(
        "One row per value", "record, path, attribute, value", widget="flag", default=False, only=_NESTED
    )
    skip: int | None = setting(
        "Lines to skip",
        "above the header",
        widget="number",
        default=None,
        minimum=0,
        maximum=_MOST_SKIPPED,
        only=_LINES,
    )
    header: Literal["first", "comment", "none"] | None = setting(
        "Header",
        widget="choice",
        default=None,
        labels={"first": "first line", "comment": "comment", "none": "none"},
        detect=True,
        only=_LINES,
    )
    header_lines: int | None = setting(
        "Lines of the header",
        "joined into one name",
        widget="number",
        default=None,
        minimum=1,
        maximum=9,
        only=_LINES,
        more=True,
    )
    skip_after: int | None = setting(
        "Lines to skip below it",
        "units, say",
        widget="number",
        default=None,
        minimum=0,
        maximum=_MOST_SKIPPED,
        only=_LINES,
        more=True,
    )
    delimiter: str | None = setting("Delimiter", widget="delimiter", default=None, only=["delimited"])
    widths: tuple[int, ...] = setting(
        "Borders",
        "characters of each column; drag them on the file's text",
        widget="widths",
        default=(),
        only=["fixed"],
    )
    encoding: str | None = setting(
        "Encoding", widget="encoding", default=None, only=[*_TEXT, "told", "json", "json_lines"]
    )
    quote: str | None = setting(
        "Quotes",
        widget="sign",
        default=None,
        only=["delimited"],
        more=True,
        signs=[[None, "find them"], ['"', "double"], ["'", "single"], ["", "none"]],
    )
    escape: str | None = setting(
        "Escape sign",
        widget="sign",
        default=None,
        only=["delimited"],
        more=True,
        signs=[[None, "find it"], ["\\", "backslash"], ["", "none"]],
    )
    comment: str | None = setting(
        "Comment lines start with", widget="text", default=None, only=_TEXT, more=True
    )
    ragged: Literal["widen", "cut", "leave_out"] = setting(
        "Rows of another width",
        widget="choice",
        default="widen",
        only=["delimited"],
        more=True,
        labels={"widen": "widen the table", "cut": "cut them", "leave_out": "leave out"},
    )
    notes: Literal["leave_out", "keep"] = setting(
        "Notes below the table",
        widget="choice",
        default="leave_out",
        only=["delimited", "fixed", "workbook"],
        more=True,
        labels={"leave_out": "are left out", "keep": "stay as rows"},
    )
    merged: Literal["first", "fill"] = setting(
        "Merged cells",
        widget="choice",
        default="first",
        only=["workbook"],
        more=True,
        labels={"first": "value in the first", "fill": "in all of them"},
    )
    marks: tuple[MarkSetting, ...] = setting(
        "Formatting as columns",
        "rows marked by colour, say",
        widget="marks",
        default=(),
        only=["workbook"],
        more=True,
    )
    empty: tuple[str, ...] = setting(
        "Also empty", "words such as n/a, by comma", widget="words", default=(), more=True
    )
    numbers: Literal["point", "comma"] | None = setting(
        "Numbers are written",
        widget="choice",
        default=None,
        detect=True,
        more=True,
        labels={"point": "1,234.5", "comma": "1.234,5"},
    )
    missing: Literal["empty", "keep"] = setting(
        "Words for nothing among numbers and days",
        "n/a, NULL, - and the like",
        widget="choice",
        default="empty",
        more=True,
        labels={"empty": "are read as empty", "keep": "stay, in a column of text"},
    )
    mend: bool = setting(
        "Mend broken text", "read once in a wrong encoding", widget="flag", default=False, more=True
    )
    drop_empty: bool = setting("Leave out empty columns", widget="flag", default=False, more=True)
    columns: tuple[str, ...] = setting(
        "Columns to read", "none chosen reads all", widget="names", default=(), port="self"
    )
    types: Literal["decide", "text"] = setting(
        "Types of columns",
        widget="choice",
        default="decide",
        labels={"decide": "decide from all values", "text": "leave as text"},
    )
    layout: tuple[str, ...] = setting(
        "Columns as set up", "a file that comes otherwise is told of", widget="layout", default=(), more=True
    )

    def options(self) -> ReadOptions:
        known = {f.name: getattr(self, f.name) for f in fields(ReadOptions)}
        return ReadOptions(**{**known, "marks": tuple((mark.column, mark.what) for mark in self.marks)})


def as_result(found: Reading, settings: ReadingSettings, wanted: Wanted) -> Result:
    """What was read as a step's result: the chosen columns with their kinds decided, and what is different
    or odd.
    """
    kept, differs = picked(found.frame.columns, found.detected, settings, wanted)
    frame, decisions = found.frame.select(kept), list[Decision]()
    if settings.types == "decide":
        frame, decisions = decide(frame, settings.numbers, missing=settings.missing == "empty")
    said, evidence = told(decisions, found.detected, kept)
    return Result(frame.lazy(), warnings=(*found.warnings, *differs, *said), evidence=evidence)


def picked(
    names: list[str], detected: Detected, settings: ReadingSettings, wanted: Wanted
) -> tuple[list[str], list[str]]:
    """The columns that are needed, and how they differ from what was set up."""
    said: list[str] = []
    if settings.layout:
        now = list(detected.columns)
        said += [f"Since this file was set up, {text}" for text in differences(list(settings.layout), now)]
    if settings.columns:
        names = _chosen(names, settings)
    if wanted:
        names = [name for name in names if name in wanted] or names[:1]
    return names, said


def told(decisions: list[Decision], detected: Detected, names: list[str]) -> tuple[list[str], dict[str, str]]:
    """What is odd about the types of columns, and the evidence for them."""
    evidence = {decision.column: decision.evidence for decision in decisions}
    said = _emptied(decisions)
    said += [f"“{d.column}” stays text: {d.evidence}." for d in decisions if d.doubt]
    for row in detected.below:
        for name, cell in zip(detected.columns, row, strict=False):
            if cell and name in names:
                evidence[name] = f"{evidence.get(name, 'text as it stands')}; below its name stands “{cell}”"
    return said, evidence


def _emptied(decisions: list[Decision]) -> list[str]:
    """How many cells became empty because they hold a word for nothing, in a sentence for all columns."""
    some = [one for one in decisions if one.emptied and one.words]
    if not some:
        return []
    words = list(dict.fromkeys(word for one in some for word in one.words))
    told = ", ".join(f"“{word}”" for word in words[:3])
    many = sum(one.emptied for one in some)
    cells = "1 cell is" if many == 1 else f"{many:,} cells are"
    return [
        f"{cells} read as empty for {told}, in {listed([one.column for one in some], 3)}. "
        "Words for nothing can stay, among the settings of how it is read."
    ]


def _chosen(names: list[str], settings: ReadingSettings) -> list[str]:
    """The chosen columns in the file's order; one that is gone is only told of where it was there before."""
    gone = [name for name in settings.columns if name not in names]
    need_columns([name for name in gone if name not in settings.layout], names, field="columns")
    kept = [name for name in names if name in settings.columns]
    if not kept:
        raise Problem(
            ", ".join(gone[:3]),
            "none of the chosen columns is in the file any more.",
            "Choose the columns to read again.",
            field="columns",
            code="missing_column",
        )
    return kept
