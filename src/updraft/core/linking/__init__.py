"""Rows of two tables, or of one, that stand for one thing: by several fields, each with a measure and a weight."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.linking.choosing import Chosen, choose
    from updraft.core.linking.fields import MEASURES, Field, Measure
    from updraft.core.linking.groups import groups_of_one_thing
    from updraft.core.linking.links import Take, link
    from updraft.core.linking.unaided import link_by

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "choosing": ["Chosen", "choose"],
        "fields": ["MEASURES", "Field", "Measure"],
        "groups": ["groups_of_one_thing"],
        "links": ["Take", "link"],
        "unaided": ["link_by"],
    },
)
__all__ = [
    "MEASURES",
    "Chosen",
    "Field",
    "Measure",
    "Take",
    "choose",
    "groups_of_one_thing",
    "link",
    "link_by",
]
