from updraft.core.figures import profile, profile_table
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings
from updraft.core.steps.tables import Tables


class ProfileColumnsSettings(Settings):
    """Nothing to set."""


class ProfileColumns(StepKind):
    """A row for each column of the table that comes in, with its figures: a table that can be checked, kept
    and compared.
    """

    kind = "profile_columns"
    title = "Profile columns"
    summary = "Make a table of figures, with a row for each column"
    words = ("describe", "statistics", "data quality", "summary", "profile", "missing values", "overview")
    icon = "clipboard-data"
    other_rows = True
    needs = frozenset({"whole"})
    made_for = "profile"
    Settings = ProfileColumnsSettings

    def apply(self, tables: Tables, settings: ProfileColumnsSettings, context: Context) -> Result:
        # Figures of every column are no one lazy query: the table is looked at as a whole.
        return Result(profile_table(profile(tables.main.collect())).lazy())

    def sentence(self, settings: ProfileColumnsSettings) -> str:
        return "a row for each column"
