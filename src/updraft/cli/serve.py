"""`updraft serve` and `updraft demo`: start the app."""

from __future__ import annotations

from pathlib import Path

import click

from updraft.cli.options import ALLOW, DATA, MEMORY, PORT


@click.command()
@DATA
@PORT
@ALLOW
@MEMORY
def serve(data: Path, port: int, allow: tuple[str, ...], memory: float | None) -> None:
    """Start the app on this machine (127.0.0.1) with its worker."""
    from updraft.serve import serve as start

    start(data, port, allow=frozenset(allow), memory=int((memory or 0) * 2**30))


@click.command()
@DATA
@PORT
@MEMORY
def demo(data: Path, port: int, memory: float | None) -> None:
    """Start the app with the example world of Larkmoor Seed Exchange and its simulated services."""
    from updraft.serve import serve as start

    start(data, port, demo=True, memory=int((memory or 0) * 2**30))
