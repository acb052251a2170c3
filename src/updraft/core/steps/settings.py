"""What people say of a step: settings, with what the form and the step itself need to know of each."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field

from updraft.core.problems import Problem
from updraft.core.values import Kind

# What a setting may need before its step can work: what is said while it is open, and what to do.
NEEDS = {
    "one": ("none is chosen yet.", "Choose one."),
    "some": ("none is chosen yet.", "Choose at least one."),
    "text": ("nothing is typed yet.", "Type it."),
    "name": ("it has no name yet.", "Type one."),
    "more": ("there is none yet.", "Add one."),
}


# Of which types a column may be that a setting names, and what is done about another one.
FITS: dict[str, tuple[tuple[Kind, ...], str]] = {
    "numbers": (
        (Kind.WHOLE, Kind.NUMBER),
        "Choose a column of numbers, or put a step “Set types” before this one.",
    ),
    "text": ((Kind.TEXT,), "Choose a column of text."),
    "dates": (
        (Kind.DATE, Kind.DATETIME),
        "Choose a column of dates, or put a step “Set types” before this one.",
    ),
    "measures": (
        (Kind.WHOLE, Kind.NUMBER),
        "Choose columns of numbers; “Number and unit” takes text such as 1.5 kg apart.",
    ),
    "nested": (
        (Kind.LIST, Kind.RECORD),
        "Choose a column of lists or records; text is split by “Split column”.",
    ),
}


class Settings(BaseModel):
    """Base of every kind's settings: frozen, and nothing that is not declared."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    unfilled: ClassVar[frozenset[str]] = frozenset()  # settings in which {params.name} is left as it stands

    @classmethod
    def titled(cls, name: str) -> str:
        """What a setting is called on the screen, as a problem names it."""
        return f"“{cls.model_fields[name].title}”"

    def check_filled(self) -> None:
        """The problem of the first setting that is still open."""
        for name, reason, way_out in self.open():
            raise Problem(self.titled(name), reason, way_out, field=name, code="unfinished")

    def open(self) -> Iterator[tuple[str, str, str]]:
        """Settings that are needed for what is chosen, and hold nothing yet: each with what is said of it and
        what to do.
        """
        for name, info in type(self).model_fields.items():
            hints = info.json_schema_extra
            if not isinstance(hints, dict) or "needs" not in hints:
                continue
            when: Any = hints.get("when", {})
            if all(getattr(self, other) in chosen for other, chosen in when.items()):
                value = getattr(self, name)
                if isinstance(value, str) and not hints.get("blanks"):
                    value = value.strip()
                if not value:
                    said: Any = hints["needs"]
                    yield name, *said


def setting(title: str, help: str = "", *, widget: str = "", default: Any = ..., **hints: Any) -> Any:
    """A field of Settings with what its form control needs: a title, a help text and a widget of the desk.

    `hints` go to the widget as they are (for instance `port="reference"` for a column picker). `needs` names
    one of `NEEDS`: the step cannot work while it is empty and the form shows it; `blanks`: a blank is not
    empty. Columns that a setting names (widget `column`, `columns` or `names`) have to be in the table:
    `fits`, one of `FITS`, says of which types; `free`: the step sees to them itself.
    """
    if "fits" in hints:
        kinds, hints["way_out"] = FITS[hints.pop("fits")]
        hints["kinds"] = [kind.value for kind in kinds]
    if "needs" in hints:
        hints["needs"] = list(NEEDS[hints["needs"]])
    if "labels" in hints:
        hints["labels"] = list(hints["labels"].items())  # a JSON Schema keeps the order of lists only
    extra = {key: value for key, value in {"widget": widget, **hints}.items() if value != ""}
    keywords: dict[str, Any] = {
        "title": title,
        "description": help or None,
        "json_schema_extra": extra or None,
    }
    for hint, bound in (("minimum", "ge"), ("maximum", "le")):
        if hint in hints:  # what the form keeps to holds for flow files, too
            keywords[bound] = hints[hint]
    if isinstance(default, list | dict | BaseModel):
        return Field(default_factory=lambda: default, **keywords)
    return Field(default, **keywords)
