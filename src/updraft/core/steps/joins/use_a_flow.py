from typing import Any

from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.parts import Part
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Port, Tables


class Given(Settings):
    name: str = setting("Parameter")
    value: str = setting("Value", default="")


class UseAFlowSettings(Settings):
    flow: str = setting("Flow", widget="flow", default="", needs="one")
    block: bool = setting("Kept in this flow", widget="hidden", default=False)
    revision: int | None = setting(
        "Revision", "empty takes it as it is now", widget="revision", default=None, minimum=1
    )
    source: str = setting("This table stands for", "or its first source", widget="flow_source", default="")
    also: tuple[str, ...] = setting("Other tables stand for", widget="flow_sources", default=())
    output: str = setting("Its result is", "or the table of its last step", widget="flow_step", default="")
    parameters: tuple[Given, ...] = setting("Its parameters", widget="flow_parameters", default=())


class UseAFlow(StepKind):
    """Let another flow work on this table: the table stands for one of its sources, and its result comes
    back.

    The flow is a saved one, as it is now or as one of its revisions was, or a block that is kept in this
    flow. Sources that no table stands for read what they read there; what it would deliver is not delivered.
    """

    kind = "use_a_flow"
    title = "Use a flow"
    summary = "Let another flow, or a block kept in this one, work on the table"
    words = (
        "sub-flow",
        "subroutine",
        "reuse",
        "call",
        "nested",
        "block",
        "template",
        "shared steps",
        "macro",
    )
    icon = "box-arrow-in-right"
    needs = frozenset({"flows"})
    Settings = UseAFlowSettings

    def ports(self, settings: UseAFlowSettings) -> tuple[Port, ...]:
        return (*self.inputs, *(Port(f"for_{source}", f"Stands for {source}") for source in settings.also))

    def part(self, settings: UseAFlowSettings) -> Part:
        feeds = {
            settings.source: self.inputs[0].name,
            **{source: f"for_{source}" for source in settings.also},
        }
        given = {parameter.name: parameter.value for parameter in settings.parameters}
        return Part(settings.flow, settings.block, settings.revision, feeds, settings.output, given)

    def apply(self, tables: Tables, settings: UseAFlowSettings, context: Context) -> Result:
        return Result(context.inside(tables))

    def sentence(self, settings: UseAFlowSettings) -> str:
        given: list[Any] = [f"{parameter.name} = {parameter.value}" for parameter in settings.parameters]
        return " · ".join([settings.flow or "no flow yet", *given])
