"""Pages and JSON of the app."""

from updraft.web.app import create_app

__all__ = ["create_app"]
