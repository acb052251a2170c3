import re
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Literal

import polars as pl

from updraft.core.deliver import FileDelivery, Outlet
from updraft.core.formats.write import (
    check_types,
    is_formula,
    way_of,
    write_arrow,
    write_csv,
    write_parquet,
    write_sheets,
)
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Parts, Result
from updraft.core.steps.outputs.forms import Forms
from updraft.core.steps.outputs.naming import plain_name
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Tables
from updraft.core.values.text import shown

_MOST_SHEETS = 200
_TEXTS = (".csv", ".tsv")
_BY_PARTS = (*_TEXTS, ".jsonl", ".parquet", ".arrow")  # written without holding all rows


class WriteFileSettings(Settings):
    name: str = setting(
        "File name",
        "ends in .xlsx, .csv, .tsv, .json, .jsonl, .parquet or .arrow",
        widget="text",
        default="report.xlsx",
    )
    sheet: str = setting("Sheet name", "for a workbook", widget="text", default="Report")
    sheets: str = setting(
        "A sheet for each value of", "for a workbook; none makes one sheet", widget="column", default=""
    )
    delimiter: Literal[",", ";", "\t"] = setting(
        "Delimiter",
        "for CSV",
        widget="choice",
        default=",",
        labels={",": "comma", ";": "semicolon", "\t": "tab"},
    )
    decimal: Literal["point", "comma"] = setting(
        "Decimals", "for CSV", widget="choice", default="point", labels={"point": "1234.5", "comma": "1234,5"}
    )
    dates: str = setting(
        "Dates as", "for CSV; such as DD.MM.YYYY, nothing for YYYY-MM-DD", widget="text", default=""
    )
    times: str = setting(
        "Times as", "for CSV; such as DD.MM.YYYY hh:mm, nothing for ISO 8601", widget="text", default=""
    )
    zone: str = setting(
        "Time zone",
        "of times that have one; such as Europe/London, nothing for their own",
        widget="text",
        default="",
    )
    formulas: Literal["mark", "keep"] = setting(
        "Cells that begin like a formula",
        "for CSV: text such as =1+1, which a spreadsheet would reckon; numbers stay as they are",
        widget="choice",
        default="mark",
        labels={"mark": "put an apostrophe in front", "keep": "write as they are"},
    )
    exists: Literal["replace", "both", "refuse"] = setting(
        "If the file exists",
        widget="choice",
        default="replace",
        labels={"replace": "replace it", "both": "keep both", "refuse": "stop"},
    )


class WriteFile(StepKind):
    """Write the table as a workbook, CSV, JSON, JSON Lines, Parquet or Arrow, as the name ends. The file
    appears only once it is whole.
    """

    kind = "write_file"
    title = "Write file"
    summary = "Save the table as a workbook, CSV, TSV, JSON, Parquet or Arrow"
    words = ("save", "export", "output", "xlsx", "csv", "json", "parquet", "download", "report", "deliver")
    icon = "file-earmark-arrow-down"
    needs = frozenset({"effects"})
    Settings = WriteFileSettings

    def apply(self, tables: Tables, settings: WriteFileSettings, context: Context) -> Result:
        self._forms(settings).of(tables.main.head(0).collect())  # so is a format or a zone that is none
        check_types(tables.main.collect_schema(), settings.name.strip())
        way_of(settings.name.strip())  # an ending that names no format is said while it is typed
        counts = (*self._nested(tables.main, settings), *self._formulas(tables.main, settings))
        return Result(tables.main, touched=(), counts=counts)

    def _forms(self, settings: WriteFileSettings) -> Forms:
        dates, times, zone = settings.dates.strip(), settings.times.strip(), settings.zone.strip()
        return Forms(settings.decimal == "comma", dates, times, zone)

    def _nested(self, table: pl.LazyFrame, settings: WriteFileSettings) -> tuple[Count, ...]:
        """Columns of lists or records, where the format knows of none."""
        nested = [name for name, dtype in table.collect_schema().items() if dtype.is_nested()]
        if not nested or Path(settings.name.strip()).suffix.lower() not in (".csv", ".tsv", ".xlsx"):
            return ()
        many = pl.LazyFrame({"n": [len(nested)]})
        return (
            Count(
                "nested",
                many,
                f"{{n}} columns hold lists or records and are written as JSON text: {listed(nested)}",
                "warning",
                "Expand the lists first if each of their values should have a cell of its own.",
                f"{{n}} column holds lists or records and is written as JSON text: {listed(nested)}",
                once=True,
            ),
        )

    def _formulas(self, table: pl.LazyFrame, settings: WriteFileSettings) -> tuple[Count, ...]:
        texts = [name for name, dtype in table.collect_schema().items() if isinstance(dtype, pl.String)]
        if not texts or Path(settings.name.strip()).suffix.lower() not in _TEXTS:
            return ()
        many = table.select(pl.sum_horizontal(is_formula(pl.col(name)).sum() for name in texts))
        done = "get an apostrophe in front" if settings.formulas == "mark" else "are written as they are"
        one = done.replace("get", "gets").replace("are", "is", 1).replace("they are", "it is")
        text = "{n} cells begin like a formula and " + done
        return (Count("formulas", many, text, "warning", one="{n} cell begins like a formula and " + one),)

    def prepare(
        self, table: pl.DataFrame, settings: WriteFileSettings, outlet: Outlet
    ) -> Iterator[FileDelivery]:
        target = self._target(settings, outlet.folder)
        yield FileDelivery(
            outlet,
            settings.name.strip(),
            target,
            lambda path: self._write(table, settings, path),
            table.height,
        )

    def prepare_parts(
        self, table: Parts, settings: WriteFileSettings, outlet: Outlet
    ) -> Iterator[FileDelivery]:
        name = settings.name.strip()
        if Path(name).suffix.lower() not in _BY_PARTS:
            yield from self.prepare(table.lazy().collect().rechunk(), settings, outlet)
            return
        target = self._target(settings, outlet.folder)
        yield FileDelivery(
            outlet, name, target, lambda path: self._write_parts(table, settings, path), table.height
        )

    def _write_parts(self, table: Parts, settings: WriteFileSettings, path: Path) -> None:
        match Path(settings.name.strip()).suffix.lower():
            case ".parquet":
                write_parquet(table.lazy(), path)
            case ".arrow":
                write_arrow(table.lazy(), path)
            case ending:
                with path.open("wb") as file:
                    for number, part in enumerate(table):
                        if ending == ".jsonl":
                            part.write_ndjson(file)
                        else:
                            file.write((self._text(part, settings, header=not number) or "").encode())

    def _text(
        self,
        table: pl.DataFrame,
        settings: WriteFileSettings,
        path: Path | None = None,
        *,
        header: bool = True,
    ) -> str | None:
        delimiter = "\t" if settings.name.strip().lower().endswith(".tsv") else settings.delimiter
        formed = self._forms(settings).of(table)
        return write_csv(formed, path, delimiter=delimiter, formulas=settings.formulas, header=header)

    def _target(self, settings: WriteFileSettings, folder: Path) -> Path:
        name = plain_name(settings.name)
        way_of(name)
        path = folder / name
        if path.exists() and settings.exists == "refuse":
            raise Problem(
                name,
                "a file of this name is there already, and the step is set to stop then.",
                "Move it away, or choose to replace it or keep both.",
                field="exists",
                code="exists",
            )
        number = 2
        while settings.exists == "both" and path.exists():
            path, number = folder / f"{Path(name).stem} ({number}){Path(name).suffix}", number + 1
        return path

    def _write(self, table: pl.DataFrame, settings: WriteFileSettings, path: Path) -> None:
        ending = Path(settings.name.strip()).suffix.lower()
        if ending in _TEXTS:
            self._text(table, settings, path)
        elif ending == ".xlsx":
            write_sheets(self._sheets(Forms(zone=settings.zone.strip()).of(table), settings), path)
        else:
            way_of(settings.name.strip())(table, path)

    def _sheets(self, table: pl.DataFrame, settings: WriteFileSettings) -> dict[str, pl.DataFrame]:
        """Sheets by name: one, or one for each value of a column, in the order in which they come."""
        if not settings.sheets or not table.height:
            return {settings.sheet: table}
        parts = table.partition_by(settings.sheets, maintain_order=True)
        if len(parts) > _MOST_SHEETS:
            raise Problem(
                f"Column “{settings.sheets}”",
                f"it has {len(parts):,} values, and as many sheets help nobody ({_MOST_SHEETS} are the "
                "most).",
                "Choose another column.",
                field="sheets",
            )
        found: dict[str, pl.DataFrame] = {}
        for part in parts:
            value = shown(part[settings.sheets].head(1))[0] or "Empty"
            name = re.sub(r"[\[\]:*?/\\]", "-", value).strip("'")[:31] or "Empty"
            number = 2
            while name.casefold() in {known.casefold() for known in found}:  # sheets differ by more than case
                name, number = f"{name[:27]} ({number})", number + 1
            found[name] = part
        return found

    def spread(self, settings: WriteFileSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: WriteFileSettings) -> str:
        return settings.name
