"""How alike two spellings are: folding, and near misses. Knows no tables' meaning and no steps."""

from updraft.core.similarity.spelling import folded, near_misses, tidied_blanks

__all__ = ["folded", "near_misses", "tidied_blanks"]
