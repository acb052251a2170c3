import polars as pl

from updraft.core.problems import Problem
from updraft.core.steps.base import Context, Result, Settings, StepKind, Wanted, setting
from updraft.core.steps.choice import listed, need_columns
from updraft.core.steps.tables import Port, Tables


class RenameColumnsSettings(Settings):
    old: str = setting("Old names in", widget="column", default="", port="names")
    new: str = setting("New names in", widget="column", default="", port="names")


class RenameColumns(StepKind):
    """Rename columns by a list: another table that holds old names and new ones. An empty new name keeps the
    old.
    """

    kind = "rename_columns"
    title = "Rename columns"
    summary = "Rename columns by a list of old and new names"
    words = ("rename", "header", "mapping", "dictionary", "labels", "column names", "by list")
    icon = "input-cursor-text"
    inputs = (Port(main=True), Port("names", "List of names"))
    Settings = RenameColumnsSettings

    def apply(self, tables: Tables, settings: RenameColumnsSettings, context: Context) -> Result:
        table, names = tables.main, tables["names"]
        for field, column in (("old", settings.old), ("new", settings.new)):
            if not column:
                raise Problem(
                    "The list",
                    f"the column that holds the {field} names is not chosen yet.",
                    "Choose it.",
                    field=field,
                    code="unfinished",
                )
            need_columns([column], names.collect_schema(), field=field)
        # The names of the result depend on the list's values, so the list is computed here; it is small.
        pairs = names.select(
            pl.col(settings.old).cast(pl.String), pl.col(settings.new).cast(pl.String).alias("\0new")
        ).collect()
        changes: dict[str, str] = {}
        for old, new in pairs.iter_rows():
            if old is None or not (new or "").strip():
                continue
            if changes.setdefault(old, new.strip()) != new.strip():
                raise Problem(
                    f"“{old}”", "the list has two new names for it.", "Leave one of them.", field="new"
                )
        known = table.collect_schema().names()
        found = [changes.get(name, name) for name in known]
        double = next((name for name in found if found.count(name) > 1), None)
        if double is not None:
            raise Problem(
                f"“{double}”",
                "two columns would have this name.",
                "Change one of them in the list.",
                field="new",
            )
        missing = [old for old in changes if old not in known]
        said = (f"{listed(missing)}: in the list, but not in the table.",) if missing else ()
        return Result(
            table.rename({old: new for old, new in changes.items() if old in known}),
            touched=(),
            warnings=said,
        )

    def reads(self, settings: RenameColumnsSettings, wanted: Wanted, port: str) -> Wanted:
        return frozenset({settings.old, settings.new}) if port == "names" else None

    def sentence(self, settings: RenameColumnsSettings) -> str:
        return f"{settings.old or '…'} → {settings.new or '…'}, by the list"
