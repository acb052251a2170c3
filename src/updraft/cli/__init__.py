"""The command line: start the app, run and check flows, look at files. Exit codes: 0 ok, 1 failed, 2 wrong call.

A file per command. A command's file imports what it needs inside its function: `--help` reads all of them.
"""

from updraft.cli.main import main

__all__ = ["main"]
