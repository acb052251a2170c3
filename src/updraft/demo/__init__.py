"""The example world of Larkmoor Seed Exchange: files generated the same way every time, and ready-made flows."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.demo.flows import march_report, ready_made, stock_report
    from updraft.demo.material import build_material
    from updraft.demo.world import MONTHS, build

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "flows": ["march_report", "ready_made", "stock_report"],
        "material": ["build_material"],
        "world": ["MONTHS", "build"],
    },
)
__all__ = ["MONTHS", "build", "build_material", "march_report", "ready_made", "stock_report"]
