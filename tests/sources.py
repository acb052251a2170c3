"""A source for tests: an Arrow file with its kinds as they are."""

import polars as pl

from updraft.core.steps import Result, Settings, StepKind


class ArrowSettings(Settings):
    path: str


class TestSource(StepKind):
    __test__ = False
    kind = "test_source"
    title = "Test source"
    family = "Test"
    summary = "For tests"
    inputs = ()
    needs = frozenset({"files"})
    Settings = ArrowSettings

    def files(self, settings):
        return (settings.path,)

    def apply(self, tables, settings, context):
        return Result(pl.read_ipc(context.file(settings.path)).lazy())

    def sentence(self, settings):
        return settings.path
