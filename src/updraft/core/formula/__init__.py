"""Formulas: columns calculated from columns, written as one expression."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.formula.compile import compile_formula
    from updraft.core.formula.parsing import names_in
    from updraft.core.formula.registry import Function
    from updraft.core.formula.terms import FormulaError, Term
    from updraft.core.formula.writing import quoted, with_names, written

# Nothing is imported before it is used: most runs have no formula.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "compile": ["compile_formula"],
        "parsing": ["names_in"],
        "registry": ["Function"],
        "terms": ["FormulaError", "Term"],
        "writing": ["quoted", "with_names", "written"],
    },
)
__all__ = [
    "FormulaError",
    "Function",
    "Term",
    "compile_formula",
    "names_in",
    "quoted",
    "with_names",
    "written",
]
