"""`updraft serve` and `updraft demo`: start the app."""

from __future__ import annotations

from pathlib import Path

import click

from updraft.cli.options import ALLOW, DATA, PORT


@click.command()
@DATA
@PORT
@ALLOW
def serve(data: Path, port: int, allow: tuple[str, ...]) -> None:
    """Start the app on this machine (127.0.0.1) with its worker."""
    from updraft.serve import serve as start

    start(data, port, allow=frozenset(allow))


@click.command()
@DATA
@PORT
def demo(data: Path, port: int) -> None:
    """Start the app with the example world of Larkmoor Seed Exchange and its simulated services."""
    from updraft.serve import serve as start

    start(data, port, demo=True)
