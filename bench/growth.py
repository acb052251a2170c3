"""How time and memory of the measured flow grow with its rows: `python bench/growth.py`; draws docs/growth.svg.

From 100,000 to 100 million orders with 2 GB allowed (in memory while they fit, then by parts), and Polars by hand up to
10 million, each once in a fresh process. The largest takes 10 GB of disk and some minutes.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from large import many_orders, once

ROWS = (100_000, 1_000_000, 10_000_000, 100_000_000)
WAYS = {"parts": ("Updraft", "2GB", "#0f766e", ""), "polars": ("Polars by hand", "", "#9a6412", "6 4")}
PICTURE = Path(__file__).parents[1] / "docs/growth.svg"
_LEFT, _WIDE, _HIGH, _GAP, _TOP = 70, 300, 190, 110, 44  # points of a panel


class Point(NamedTuple):
    rows: int
    seconds: float
    megabytes: int


def measured() -> dict[str, list[Point]]:
    found: dict[str, list[Point]] = {way: [] for way in WAYS}
    for rows in ROWS:
        many_orders(rows)
        for way, (_, limit, *_rest) in WAYS.items():
            if way == "parts" or rows <= 10_000_000:
                found[way].append(Point(rows, *once(way, rows, limit)))
                print(way, found[way][-1], flush=True)
    return found


def panel(
    found: dict[str, list[Point]], at: int, title: str, values: dict[str, list[float]], ticks: Sequence[float]
) -> str:
    """One chart of two axes that grow tenfold from mark to mark."""
    left = _LEFT + at * (_WIDE + _GAP)
    low, high = math.log10(ticks[0]), math.log10(ticks[-1])

    def x(rows: int) -> float:
        return left + (math.log10(rows) - 5) / 3 * _WIDE

    def y(value: float) -> float:
        return _TOP + _HIGH * (1 - (math.log10(value) - low) / (high - low))

    parts = [f'<text x="{left}" y="22" font-weight="600">{title}</text>']
    for tick in ticks:
        parts.append(
            f'<line x1="{left}" x2="{left + _WIDE}" y1="{y(tick):.1f}" y2="{y(tick):.1f}" stroke="#e2ded4"/>'
        )
        parts.append(
            f'<text x="{left - 8}" y="{y(tick) + 4:.1f}" text-anchor="end" fill="#59696c">{tick:,g}</text>'
        )
    for rows in ROWS:
        parts.append(
            f'<text x="{x(rows):.1f}" y="{_TOP + _HIGH + 20}" text-anchor="middle" fill="#59696c">{rows:,}</text>'
        )
    for way, (name, _, colour, dashes) in WAYS.items():
        points = [(x(point.rows), y(value)) for point, value in zip(found[way], values[way], strict=True)]
        line = " ".join(f"{a:.1f},{b:.1f}" for a, b in points)
        parts.append(
            f'<polyline points="{line}" fill="none" stroke="{colour}" stroke-width="2" stroke-dasharray="{dashes}"/>'
        )
        parts += [f'<circle cx="{a:.1f}" cy="{b:.1f}" r="3.5" fill="{colour}"/>' for a, b in points]
        above = -12 if way == "parts" else 34
        parts.append(
            f'<text x="{points[1][0]:.1f}" y="{points[1][1] + above:.1f}" text-anchor="middle" fill="{colour}">{name}</text>'
        )
    return "".join(parts)


def picture(found: dict[str, list[Point]]) -> str:
    each = {way: [1e6 * p.seconds / p.rows for p in points] for way, points in found.items()}
    memory = {way: [float(p.megabytes) for p in points] for way, points in found.items()}
    width, height = _LEFT + 2 * _WIDE + _GAP + 40, _TOP + _HIGH + 40
    panels = panel(found, 0, "microseconds a row", each, (0.1, 1, 10)) + panel(
        found, 1, "MB held at most", memory, (10, 100, 1_000, 10_000)
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" '
        f'aria-label="Time and memory of the measured flow by rows" font-family="Figtree, sans-serif" font-size="12" '
        f'fill="#12343b"><rect width="100%" height="100%" fill="#fff"/>{panels}</svg>\n'
    )


if __name__ == "__main__":
    PICTURE.write_text(picture(measured()))
