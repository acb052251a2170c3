"""Pages and JSON of the app."""

from typing import TYPE_CHECKING

from lazy_loader import attach

if TYPE_CHECKING:
    from updraft.web.app import create_app

# Nothing is imported before it is used: a command starts with what it needs.
__getattr__, __dir__, _ = attach(__name__, submod_attrs={"app": ["create_app"]})
__all__ = ["create_app"]
