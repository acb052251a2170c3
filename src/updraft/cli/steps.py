"""`updraft steps`: list the kinds of steps."""

from __future__ import annotations

import click

from updraft.cli.options import as_json


@click.command()
@as_json("Print every kind with its JSON Schema.")
def steps(as_json: bool) -> None:
    """List the kinds of steps."""
    from updraft.cli import saying
    from updraft.core.steps import kinds

    if as_json:
        saying.say_json(
            [
                {
                    "kind": k.kind,
                    "title": k.title,
                    "family": k.family,
                    "summary": k.summary,
                    "version": k.version,
                    "inputs": [port.name for port in k.inputs],
                    "outputs": ["" if out.main else out.name for out in k.outputs],
                    "settings": k.Settings.model_json_schema(),
                }
                for k in kinds().values()
            ]
        )
        return
    for k in kinds().values():
        saying.say(f"{saying.strong(f'{k.kind:18}')} {k.summary}")
