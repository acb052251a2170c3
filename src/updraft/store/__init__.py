"""What the app remembers: flows with their revisions, runs, and connections. SQLite through peewee."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.store.connections import ConnectionStore
    from updraft.store.database import open_database
    from updraft.store.deliveries import DeliveryJournal
    from updraft.store.flows import FlowStore, SavedFlow
    from updraft.store.folders import Folders
    from updraft.store.library import SavedFlows
    from updraft.store.runs import RunStore
    from updraft.store.schedules import ScheduleStore

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "connections": ["ConnectionStore"],
        "database": ["open_database"],
        "deliveries": ["DeliveryJournal"],
        "flows": ["FlowStore", "SavedFlow"],
        "folders": ["Folders"],
        "library": ["SavedFlows"],
        "runs": ["RunStore"],
        "schedules": ["ScheduleStore"],
    },
)
__all__ = [
    "ConnectionStore",
    "DeliveryJournal",
    "FlowStore",
    "Folders",
    "RunStore",
    "SavedFlow",
    "SavedFlows",
    "ScheduleStore",
    "open_database",
]
