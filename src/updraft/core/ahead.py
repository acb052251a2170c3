"""Work on the next while somebody works on the one before."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")


def one_ahead(make: Callable[[T], R], parts: Sequence[T]) -> Iterator[R]:
    """What is made of each part, the next one while somebody works on the one before."""
    with ThreadPoolExecutor(1) as pool:
        coming = None
        for part in parts:
            made, coming = coming, pool.submit(make, part)
            if made is not None:
                yield made.result()
        if coming is not None:
            yield coming.result()
