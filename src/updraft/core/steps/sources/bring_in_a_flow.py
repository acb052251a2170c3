from __future__ import annotations

from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.joins.use_a_flow import Given
from updraft.core.steps.parts import Part
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables


class BringInAFlowSettings(Settings):
    flow: str = setting("Flow", widget="flow", default="", needs="one")
    block: bool = setting("Kept in this flow", widget="hidden", default=False)
    revision: int | None = setting(
        "Revision", "empty takes it as it is now", widget="revision", default=None, minimum=1
    )
    output: str = setting("Its result is", "or the table of its last step", widget="flow_step", default="")
    parameters: tuple[Given, ...] = setting("Its parameters", widget="flow_parameters", default=())


class BringInAFlow(StepKind):
    """Bring in the table that another flow makes: a saved one, as it is now or as a revision of it was, or a
    block kept in this flow. What that flow would deliver is not delivered.
    """

    kind = "bring_in_a_flow"
    title = "Bring in a flow"
    summary = "Bring in the table that another flow makes"
    words = ("sub-flow", "part", "shared", "reuse", "source", "another flow", "nested", "input")
    icon = "box-arrow-in-down-right"
    way_in = (9, "Another flow")
    inputs = ()
    needs = frozenset({"flows"})
    Settings = BringInAFlowSettings

    def part(self, settings: BringInAFlowSettings) -> Part:
        given = {parameter.name: parameter.value for parameter in settings.parameters}
        return Part(settings.flow, settings.block, settings.revision, {}, settings.output, given)

    def apply(self, tables: Tables, settings: BringInAFlowSettings, context: Context) -> Result:
        return Result(context.inside(tables))

    def sentence(self, settings: BringInAFlowSettings) -> str:
        given = [f"{parameter.name} = {parameter.value}" for parameter in settings.parameters]
        return " · ".join([settings.flow or "no flow yet", *given])
