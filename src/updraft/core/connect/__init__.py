"""Reach what lies outside: databases, web services and mail folders, through connections kept apart from flows."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.core.connect.model import (
        CLUSTER,
        CONNECTION,
        Cluster,
        Connection,
        Database,
        MailFolder,
        WebService,
    )
    from updraft.core.connect.outside import Outside

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(
    __name__,
    submod_attrs={
        "model": ["CLUSTER", "CONNECTION", "Cluster", "Connection", "Database", "MailFolder", "WebService"],
        "outside": ["Outside"],
    },
)
__all__ = [
    "CLUSTER",
    "CONNECTION",
    "Cluster",
    "Connection",
    "Database",
    "MailFolder",
    "Outside",
    "WebService",
]
