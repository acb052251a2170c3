from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from updraft.core.figures import profile, profile_table
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings
from updraft.core.steps.spread import LEAN, Spread
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

    def spread(self, settings: ProfileColumnsSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return LEAN

    def apply(self, tables: Tables, settings: ProfileColumnsSettings, context: Context) -> Result:
        found = profile(tables.main)  # no one lazy query: each column is gone over by itself
        return Result(profile_table(found).lazy(), figures=tuple(found))

    def sentence(self, settings: ProfileColumnsSettings) -> str:
        return "a row for each column"
