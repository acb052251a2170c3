"""Updraft: messy data in, report-ready tables out."""

import os

# Plugins of pydantic are looked for among all installed packages, at every start; there are none of ours.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
