"""How alike two spellings are: folding, and near misses. Knows no tables' meaning and no steps."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.similarity.spelling import folded, near_misses, tidied_blanks

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__, submod_attrs={"spelling": ["folded", "near_misses", "tidied_blanks"]}
)
__all__ = ["folded", "near_misses", "tidied_blanks"]
