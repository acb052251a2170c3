"""Reach what lies outside: databases, web services and mail folders, through connections kept apart from flows."""

from updraft.core.connect.model import CONNECTION, Connection, Database, MailFolder, WebService
from updraft.core.connect.outside import Outside

__all__ = ["CONNECTION", "Connection", "Database", "MailFolder", "Outside", "WebService"]
