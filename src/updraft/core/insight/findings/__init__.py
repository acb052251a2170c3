"""Findings: what looks wrong in a table, with the evidence and the repairs. No interface code."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.insight.findings.finding import CODES, find
    from updraft.core.insight.findings.model import Finding, Repair
    from updraft.core.insight.findings.repair import Repaired, apply_repair, repair_all

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "finding": ["CODES", "find"],
        "model": ["Finding", "Repair"],
        "repair": ["Repaired", "apply_repair", "repair_all"],
    },
)
__all__ = ["CODES", "Finding", "Repair", "Repaired", "apply_repair", "find", "repair_all"]
