"""`updraft standins`: start the simulated services alone."""

from __future__ import annotations

import contextlib
import threading
from pathlib import Path

import click

from updraft.cli.options import DATA, PORT


@click.command()
@DATA
@PORT
def standins(data: Path, port: int) -> None:
    """Start the simulated services of the example world alone: shop, ledger, mailbox."""
    from updraft.standins import StandIns

    started = StandIns(data, (port, port + 1 if port else 0))
    click.echo(f"Garden shop at {started.shop} (token {started.token})")
    click.echo(f"Ledger at {started.ledger} (user {started.user}, password {started.password})")
    click.echo(f"Store-room mail in {started.mailbox}")
    click.echo("Ctrl+C stops them.")
    with contextlib.suppress(KeyboardInterrupt):
        threading.Event().wait()
    started.stop()
