"""Linked data: terms of known vocabularies, and tables as graphs. Knows no steps."""
