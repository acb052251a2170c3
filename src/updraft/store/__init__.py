"""What the app remembers: flows with their revisions, runs, and connections. SQLite through peewee."""

from updraft.store.connections import ConnectionStore
from updraft.store.database import open_database
from updraft.store.flows import FlowStore, SavedFlow
from updraft.store.folders import Folders
from updraft.store.runs import RunStore

__all__ = ["ConnectionStore", "FlowStore", "Folders", "RunStore", "SavedFlow", "open_database"]
