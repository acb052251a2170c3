import re
from pathlib import Path
from typing import Literal

import polars as pl

from updraft.core.deliver import FileDelivery, Outlet
from updraft.core.formats import write_csv, write_xlsx
from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Result, Settings, StepKind, setting
from updraft.core.steps.tables import Tables


class WriteFileSettings(Settings):
    name: str = setting("File name", "ends in .xlsx or .csv", widget="text", default="report.xlsx")
    sheet: str = setting("Sheet name", "for a workbook", widget="text", default="Report")
    delimiter: Literal[",", ";", "\t"] = setting(
        "Delimiter",
        "for CSV",
        widget="choice",
        default=",",
        labels={",": "comma", ";": "semicolon", "\t": "tab"},
    )
    exists: Literal["replace", "both", "refuse"] = setting(
        "If the file exists",
        widget="choice",
        default="replace",
        labels={"replace": "replace it", "both": "keep both", "refuse": "stop"},
    )


class WriteFile(StepKind):
    """Write the table as a workbook or as CSV. The file appears only once it is whole."""

    kind = "write_file"
    title = "Write file"
    summary = "Save the table as a workbook or as CSV"
    words = ("save", "export", "output", "xlsx", "csv", "download", "report", "deliver")
    icon = "file-earmark-arrow-down"
    needs = frozenset({"effects"})
    Settings = WriteFileSettings

    def apply(self, tables: Tables, settings: WriteFileSettings, context: Context) -> Result:
        return Result(tables.main, touched=())

    def prepare(self, table: pl.DataFrame, settings: WriteFileSettings, outlet: Outlet) -> FileDelivery:
        target = self._target(settings, outlet.folder)
        return FileDelivery(
            outlet,
            settings.name.strip(),
            target,
            lambda path: self._write(table, settings, path),
            table.height,
        )

    def _target(self, settings: WriteFileSettings, folder: Path) -> Path:
        name = settings.name.strip()
        if (
            not name
            or name in (".", "..")
            or re.search(r'[/\\:*?"<>|\x00-\x1f]', name)
            or len(name.encode()) > 200
        ):
            raise Problem(
                f"File name “{name}”",
                "it must be a plain file name without folders.",
                "Use letters, digits, blanks, - and _.",
                field="name",
            )
        if Path(name).suffix.lower() not in (".csv", ".xlsx"):
            raise Problem(
                f"File name “{name}”",
                "it does not say what to write.",
                "Let it end in .xlsx or .csv.",
                field="name",
            )
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
        if Path(settings.name.strip()).suffix.lower() == ".csv":
            write_csv(table, path, delimiter=settings.delimiter)
        else:
            write_xlsx(table, path, sheet=settings.sheet)

    def sentence(self, settings: WriteFileSettings) -> str:
        return settings.name
