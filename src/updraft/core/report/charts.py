"""Charts as SVG, for reports: drawn from the rows alone, readable in print and without colour."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from markupsafe import Markup, escape

_INK, _SOFT, _BAR = "#12343b", "#59696c", "#0f766e"
_LINE = 26  # points a bar takes
_WIDTH, _LABELS, _FIGURES = 480, 150, 56  # points: of the whole, of the names on the left, of the figures


def bars(rows: Iterable[Mapping[str, Any]], label: str, value: str, most: float | None = None) -> Markup:
    """Lying bars, one for each row: its name on the left, the figure at the end.

    Args:
        rows: rows of the report; those whose value is empty or no number get no bar.
        label, value: columns.
        most: what the full width stands for; the largest value when it is not given.
    """
    pairs = [(str(row[label] if row[label] is not None else ""), _number(row[value])) for row in rows]
    known = [number for _, number in pairs if number is not None]
    full = most or max((abs(number) for number in known), default=0) or 1
    room = _WIDTH - _LABELS - _FIGURES
    lines = []
    for place, (name, number) in enumerate(pairs):
        top = place * _LINE
        lines.append(_text(_LABELS - 8, top + 17, _short(name), _INK, "end"))
        if number is None:
            lines.append(_text(_LABELS, top + 17, "empty", _SOFT))
            continue
        width = max(0.0, min(number / full, 1.0)) * room
        lines.append(
            f'<rect x="{_LABELS}" y="{top + 5}" width="{width:.1f}" height="{_LINE - 10}" fill="{_BAR}"/>'
        )
        lines.append(_text(_LABELS + width + 6, top + 17, f"{number:g}", _SOFT))
    height = max(len(pairs), 1) * _LINE
    title = f"{escape(value)} by {escape(label)}"
    return Markup(
        f'<svg xmlns="http://www.w3.org/2000/svg" role="img" aria-label="{title}" width="{_WIDTH}" '
        f'height="{height}" viewBox="0 0 {_WIDTH} {height}">{"".join(lines)}</svg>'
    )


def _text(x: float, y: float, text: str, colour: str, anchor: str = "start") -> str:
    return (
        f'<text x="{x:.1f}" y="{y}" font-size="12" font-family="Figtree, sans-serif" fill="{colour}" '
        f'text-anchor="{anchor}">{escape(text)}</text>'
    )


def _short(name: str) -> str:
    return name if len(name) <= 24 else f"{name[:23]}…"


def _number(value: Any) -> float | None:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None
