"""Names of files that are delivered."""

from __future__ import annotations

import re

from updraft.core.problems import Problem

_BAD = re.compile(r'[/\\:*?"<>|\x00-\x1f]')


def plain_name(name: str) -> str:
    """A file's name without blanks around it.

    Raises:
        Problem: it is none, or not one in a folder that any system takes.
    """
    name = name.strip()
    if not name or name in (".", "..") or _BAD.search(name) or len(name.encode()) > 200:
        raise Problem(
            f"File name “{name}”",
            "it must be a plain file name without folders.",
            "Use letters, digits, blanks, - and _.",
            field="name",
        )
    return name


def made_plain(text: str) -> str:
    """A text as a part of a file's name: what no system takes becomes a -, and what is too long is cut."""
    short = _BAD.sub("-", text).encode()[:150].decode(errors="ignore")
    return re.sub(r"^[\s.]+|[\s.]+$", "", short)
