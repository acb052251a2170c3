"""The group of all commands; each is loaded from its file when it is called or listed."""

from __future__ import annotations

import os
import sys
from importlib import import_module
from typing import Any

import click

from updraft import __version__
from updraft.core.problems import Problem, of_the_system, reason_of

# Command → file and function, in the order they are listed.
_COMMANDS = {
    "demo": "serve.demo",
    "serve": "serve.serve",
    "run": "run.run",
    "check": "check.check",
    "decisions": "decisions.decisions",
    "show": "show.show",
    "profile": "profile.profile",
    "example": "example.example",
    "look-alikes": "look_alikes.look_alikes",
    "link": "link.link",
    "compare": "compare.compare",
    "findings": "findings.findings",
    "repair": "repair.repair",
    "steps": "steps.steps",
    "standins": "standins.standins",
}


class Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def main(self, *args: Any, **more: Any) -> Any:
        """As click does it; whatever else goes wrong is said in a sentence, too."""
        try:
            return super().main(*args, **more)
        except Exception as error:
            if os.environ.get("UPDRAFT_DEBUG"):
                raise
            from updraft.cli.saying import fail

            fail(said(error), "--json" in sys.argv, 2)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        file, name = _COMMANDS[cmd_name].split(".")
        command: click.Command = getattr(import_module(f"updraft.cli.{file}"), name)
        return command


def said(error: Exception) -> Problem:
    """An exception as a problem: one of the system's by its reason, any other as a fault of ours."""
    if isinstance(error, Problem):
        return error
    if caused := of_the_system(error):
        return Problem(
            str(caused.filename or "The file"),
            f"{reason_of(caused)}.",
            "Choose another place, or make room.",
            code="no_file",
        )
    told = str(error).splitlines()[0][:200] if str(error) else ""
    return Problem(
        "Updraft",
        f"something went wrong here ({type(error).__name__}: {told}).",
        "Set UPDRAFT_DEBUG=1 to see where; the files are as they were.",
        code="server",
    )


@click.group(cls=Commands)
@click.version_option(__version__)
def main() -> None:
    """Updraft: messy data in, report-ready tables out, through repeatable flows."""
