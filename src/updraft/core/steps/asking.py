"""Ask a web service or a reference on a step's behalf."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from updraft.core.connect import WebService
from updraft.core.steps.given import Context

if TYPE_CHECKING:
    from updraft.core.connect.reconciling import Reference


@contextmanager
def answers_folder(context: Context) -> Iterator[Path]:
    """Where this step's answers are kept; for a run of its own, only as long as it reads them."""
    if context.outside.answers is not None:
        yield context.outside.answers / context.token
    else:
        with tempfile.TemporaryDirectory(prefix="updraft-") as folder:
            yield Path(folder)


@contextmanager
def asked_reference(context: Context, name: str) -> Iterator[Reference]:
    """The reference behind a connection; Problem where there is none."""
    from updraft.core.connect.reconciling import Reference
    from updraft.core.connect.service import Service

    connection = context.outside.connection(name, WebService)
    with answers_folder(context) as keep, Service(connection, context.outside, keep) as service:
        yield Reference(service)
