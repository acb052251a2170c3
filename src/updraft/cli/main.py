"""The group of all commands; each is loaded from its file when it is called or listed."""

from __future__ import annotations

from importlib import import_module

import click

from updraft import __version__

# Command → file and function, in the order they are listed.
_COMMANDS = {
    "demo": "serve.demo",
    "serve": "serve.serve",
    "run": "run.run",
    "check": "check.check",
    "decisions": "decisions.decisions",
    "show": "show.show",
    "profile": "profile.profile",
    "findings": "findings.findings",
    "repair": "repair.repair",
    "steps": "steps.steps",
    "standins": "standins.standins",
}


class Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        file, name = _COMMANDS[cmd_name].split(".")
        command: click.Command = getattr(import_module(f"updraft.cli.{file}"), name)
        return command


@click.group(cls=Commands)
@click.version_option(__version__)
def main() -> None:
    """Updraft: messy data in, report-ready tables out, through repeatable flows."""
