"""The example world of Larkmoor Seed Exchange: files generated the same way every time, and ready-made flows."""

from updraft.demo.flows import march_report, stock_report
from updraft.demo.material import build_material
from updraft.demo.world import MONTHS, build

__all__ = ["MONTHS", "build", "build_material", "march_report", "stock_report"]
