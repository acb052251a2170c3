"""What edits of a flow ask of the kinds of its steps, which the flow itself does not know."""

from __future__ import annotations

from pydantic import ValidationError

from updraft.core.flow.model import MAIN_PORT, Step
from updraft.core.steps.registry import kinds
from updraft.core.steps.tables import Out


class _Shapes:
    def main_port(self, step: Step) -> str | None:
        """The port a step is put into a lane at; None for a source. For an unknown kind, the first it is
        plugged at.
        """
        kind = kinds().get(step.kind)
        if kind is None:
            return next(iter(step.inputs), MAIN_PORT)
        return kind.main_port.name if kind.main_port else None

    def takes_many(self, step: Step, port: str) -> bool:
        """Whether a port takes any number of tables."""
        kind = kinds().get(step.kind)
        if kind is None:
            return not isinstance(step.inputs.get(port, ""), str)
        return any(known.name == port and known.many for known in kind.inputs)

    def ports(self, step: Step) -> list[str]:
        """The ports it has with its settings; while these are not finished, with what is said of them."""
        kind = kinds().get(step.kind)
        if kind is None:
            return list(step.inputs)
        try:
            settings = kind.Settings.model_validate(step.settings)
        except ValidationError:
            settings = kind.Settings.model_construct(**step.settings)
        try:
            return [port.name for port in kind.ports(settings)]
        except (AttributeError, TypeError):  # what is said is no setting of this kind
            return [port.name for port in kind.inputs]

    def has_table(self, step: Step) -> bool:
        """Whether others may take its table: it does not end a lane."""
        kind = kinds().get(step.kind)
        return kind is None or kind.role != "output"


SHAPES = _Shapes()


def outputs_of(step: Step) -> tuple[Out, ...]:
    """The outputs of a step with the settings it has; those it has with any, while its settings are not
    finished.
    """
    kind = kinds().get(step.kind)
    if kind is None:
        return ()
    try:
        return kind.outs(kind.Settings.model_validate(step.settings))
    except ValidationError:
        return kind.outputs
