"""`python -m updraft` is the command `updraft`."""

from updraft.cli import main

main(prog_name="updraft")
