from updraft.core.formats import FILE_COLUMN, ReadOptions, read, read_all, stacked_readings
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import listed
from updraft.core.steps.given import Brought, Context, Result, Spool
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.sources.in_parts import brought_in_parts
from updraft.core.steps.sources.reading import ReadingSettings, as_result
from updraft.core.steps.tables import Tables


class PathSettings(Settings):
    path: str = setting("File", "may hold * for several of one shape", widget="file")


class ReadFileSettings(ReadingSettings, PathSettings):
    pass


class ReadFile(StepKind):
    """Read a file of any known format, or several of one shape as one table. What is not set is detected
    each time.
    """

    kind = "read_file"
    title = "Read file"
    summary = "Bring in a workbook, text, JSON, XML, Parquet, Arrow or SQLite file, packed or not"
    words = (
        "open",
        "import",
        "load",
        "input",
        "xlsx",
        "xls",
        "ods",
        "csv",
        "tsv",
        "json",
        "xml",
        "parquet",
        "arrow",
        "sqlite",
        "zip",
        "workbook",
        "source",
        "upload",
        "folder",
        "several files",
    )
    icon = "file-earmark-spreadsheet"
    version = 3
    inputs = ()
    needs = frozenset({"files"})
    made_for = "file"
    Settings = ReadFileSettings

    def files(self, settings: ReadFileSettings) -> tuple[str, ...]:
        return (settings.path,)

    def seen_in_part(self, settings: ReadFileSettings) -> tuple[str, ReadOptions]:
        return settings.path, settings.options()

    def apply(self, tables: Tables, settings: ReadFileSettings, context: Context) -> Result:
        paths = context.seen(context.files(settings.path), settings.options())
        needed = context.wanted if not settings.columns else None
        if len(paths) == 1:
            return as_result(read(paths[0], settings.options(), needed), settings, context.wanted)
        parts = read_all(paths, settings.options())
        return as_result(stacked_readings(parts, FILE_COLUMN, "file"), settings, context.wanted)

    def bring(self, settings: ReadFileSettings, context: Context, spool: Spool, rows: int) -> Brought | None:
        return brought_in_parts(context.files(settings.path), settings, context.wanted, spool, rows)

    def sentence(self, settings: ReadFileSettings) -> str:
        parts = [settings.path.rsplit("/", 1)[-1]]
        inside = {
            "": settings.member,
            "sheet": settings.sheet,
            "range": settings.range,
            "table": settings.table,
            "records": settings.records,
        }
        parts += [f"{what} {name}" for what, name in inside.items() if name]
        if settings.sheets:
            parts.append("all sheets" if settings.sheets == ("*",) else f"sheets {listed(settings.sheets)}")
        if settings.columns:
            parts.append(listed(settings.columns))
        return " · ".join(part.strip() for part in parts)
