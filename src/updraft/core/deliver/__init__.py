"""What a run hands over: prepared and counted first, committed together, and never twice."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.deliver.committing import Journal, commit_all, digest
    from updraft.core.deliver.contract import Delivered, Delivery, Effect, Outlet, Sample
    from updraft.core.deliver.files import FileDelivery

__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "committing": ["Journal", "commit_all", "digest"],
        "contract": ["Delivered", "Delivery", "Effect", "Outlet", "Sample"],
        "files": ["FileDelivery"],
    },
)
__all__ = [
    "Delivered",
    "Delivery",
    "Effect",
    "FileDelivery",
    "Journal",
    "Outlet",
    "Sample",
    "commit_all",
    "digest",
]
