"""Options that several commands share."""

from __future__ import annotations

from pathlib import Path

import click

DATA = click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    envvar="UPDRAFT_DATA",
    default=Path.home() / ".local/share/updraft",
    show_default=True,
    help="Folder for the app's data.",
)
PORT = click.option(
    "--port",
    type=click.IntRange(0, 65535),
    default=8765,
    show_default=True,
    help="Port on 127.0.0.1; 0 takes a free one.",
)
ALLOW = click.option(
    "--allow",
    multiple=True,
    metavar="HOST:PORT",
    envvar="UPDRAFT_ALLOW",
    help="Let flows ask this address although it is of this machine or a private network.",
)
FILES = click.option(
    "--files",
    "further",
    multiple=True,
    type=click.Path(path_type=Path, file_okay=False, exists=True),
    help="Let the flow read the files of this folder, too, and not only those beside it.",
)
MEMORY = click.option(
    "--memory",
    type=click.FloatRange(min=0.5),
    default=None,
    metavar="GB",
    help="Memory that the server should hold at most; half of the machine's by default.",
)
RUN_MEMORY = click.option(
    "--memory",
    metavar="SIZE",
    envvar="UPDRAFT_MEMORY",
    help="Memory that the run may take, such as 2GB; half of the machine's by default. Larger tables are "
    "computed by parts.",
)
FILE = click.argument("file", type=click.Path(path_type=Path))
STEP = click.option(
    "--step",
    "step_id",
    default="",
    metavar="ID",
    help="Of a flow: the step whose table is meant; the last one by default.",
)


def as_json(help: str = "Print one JSON object.") -> object:
    return click.option("--json", "as_json", is_flag=True, help=help)
