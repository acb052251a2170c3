"""Results that follow from a key alone, kept up to so many bytes; what was not used for longest goes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass
from threading import Lock
from typing import Any

import polars as pl
from cachetools import LRUCache

MOST = 256 << 20  # bytes


class Memory:
    """Safe to use from several threads."""

    def __init__(self, most: int = MOST) -> None:
        self._known: LRUCache[tuple[Any, ...], Any] = LRUCache(most, getsizeof=size_of)
        self._making: dict[tuple[Any, ...], Lock] = {}
        self._lock = Lock()

    def get(self, key: tuple[Any, ...], make: Callable[[], Any]) -> Any:
        """What is kept under a key, made where it is not, by one of those that ask for it at the same time;
        what is larger than all the room is not kept.
        """
        with self._lock:
            if key in self._known:
                return self._known[key]
            making = self._making.setdefault(key, Lock())
        with making:
            with self._lock:
                if key in self._known:  # another one made it meanwhile
                    return self._known[key]
            try:
                found = make()
                with self._lock:
                    if size_of(found) <= self._known.maxsize:
                        self._known[key] = found
            finally:
                with self._lock:
                    self._making.pop(key, None)
        return found

    def kept(self) -> dict[tuple[Any, ...], Any]:
        """All that is kept now."""
        with self._lock:
            return dict(self._known.items())

    def clear(self) -> None:
        with self._lock:
            self._known.clear()


def size_of(thing: Any) -> int:
    """About how many bytes a result holds: exact for columns and tables, which are what can be large."""
    if isinstance(thing, pl.Series | pl.DataFrame):
        return int(thing.estimated_size()) + 64
    if isinstance(thing, str | bytes):
        return len(thing) + 50
    if isinstance(thing, Mapping):
        return 64 + sum(size_of(key) + size_of(value) for key, value in thing.items())
    if isinstance(thing, list | tuple | set | frozenset):
        return 56 + sum(map(size_of, thing))
    if is_dataclass(thing):
        return 48 + sum(size_of(getattr(thing, field.name)) for field in fields(thing))
    return 32
