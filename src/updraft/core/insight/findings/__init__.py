"""Findings: what looks wrong in a table, with the evidence and the repairs. No interface code."""

from updraft.core.insight.findings.find import CODES, find
from updraft.core.insight.findings.model import Finding, Repair
from updraft.core.insight.findings.repair import Repaired, apply_repair, repair_all

__all__ = ["CODES", "Finding", "Repair", "Repaired", "apply_repair", "find", "repair_all"]
