"""What the app remembers: flows with their revisions, runs, and connections. SQLite through peewee."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.store.connections import ConnectionStore
    from updraft.store.database import open_database
    from updraft.store.flows import FlowStore, SavedFlow
    from updraft.store.folders import Folders
    from updraft.store.runs import RunStore

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "connections": ["ConnectionStore"],
        "database": ["open_database"],
        "flows": ["FlowStore", "SavedFlow"],
        "folders": ["Folders"],
        "runs": ["RunStore"],
    },
)
__all__ = ["ConnectionStore", "FlowStore", "Folders", "RunStore", "SavedFlow", "open_database"]
