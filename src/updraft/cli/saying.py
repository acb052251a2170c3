"""Words on the terminal: sentences, tables, problems, and JSON. Rich is loaded for tables only."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any, NoReturn

import click

if TYPE_CHECKING:
    from updraft.core.engine import StepReport
    from updraft.core.problems import Problem

_WIDEST = 40  # characters of a cell on the terminal


def strong(text: str) -> str:
    return click.style(text, bold=True)


def dim(text: str) -> str:
    return click.style(text, dim=True)


def rows(number: int) -> str:
    return f"{number:,} {'row' if number == 1 else 'rows'}"


def say(text: str = "") -> None:
    click.echo(text)


def say_json(body: Any) -> None:
    click.echo(json.dumps(body, ensure_ascii=False, indent=1, default=str))


def say_table(heads: Sequence[tuple[str, str]], rows: Iterable[Sequence[str | None]]) -> None:
    """A table: heads as (name, kind); a cell of None is shown as empty."""
    from rich.console import Console
    from rich.markup import escape
    from rich.table import Table

    grid = Table(
        *(f"{escape(name)}\n[dim]{kind}[/]" if kind else escape(name) for name, kind in heads),
        header_style="bold",
    )
    for row in rows:
        grid.add_row(*("[dim]empty[/]" if cell is None else escape(cell) for cell in row))
    Console(highlight=False, soft_wrap=True).print(grid)


def say_blocks(heads: Sequence[tuple[str, str]], rows: Sequence[Sequence[str | None]], *, most: int) -> int:
    """The same for a table wider than the terminal: as many columns side by side as fit, the others below.

    Args:
        most: columns shown in all.

    Returns:
        How many columns are left out.
    """
    from rich.cells import cell_len
    from rich.console import Console

    shown, room = list(heads[:most]), Console().width
    texts = [
        [_cut(row[n] or ("" if row[n] is not None else "empty")) for row in rows] for n in range(len(shown))
    ]
    wide = [
        3 + max(map(cell_len, [_cut(name), kind, *texts[n]]), default=0)
        for n, (name, kind) in enumerate(shown)
    ]
    begin = 0
    while begin < len(shown):
        end, taken = begin + 1, wide[begin] + 1
        while end < len(shown) and taken + wide[end] <= room:
            taken += wide[end]
            end += 1
        block = range(begin, end)
        cut = ([None if row[n] is None else _cut(row[n] or "") for n in block] for row in rows)
        say_table([(_cut(shown[n][0]), shown[n][1]) for n in block], cut)
        begin = end
    return len(heads) - len(shown)


def _cut(text: str) -> str:
    return text if len(text) <= _WIDEST else f"{text[: _WIDEST - 1]}…"


def say_step(step_id: str, done: StepReport | None) -> None:
    """What one step of a run did, once it is done."""
    if done is None:
        return
    change = "" if done.rows_in is None else f"{done.rows_in:,} → "
    facts = "; ".join([fact.text for fact in done.facts] + list(done.warnings))
    say(
        f"{strong(f'{done.name:28}')} {change}{done.rows_out:,} rows  {dim(f'{done.seconds:.3f} s')}  {facts}"
    )


def say_problem(problem: Problem) -> None:
    where = f"[{problem.step}] " if problem.step else ""
    click.secho(f"{where}{problem}", err=True, fg="red")


def fail(problem: Problem, as_json: bool, code: int) -> NoReturn:
    """Say the problem and end with this exit code."""
    if as_json:
        say_json({"status": "failed", "steps": [], "outputs": [], "error": problem.as_dict()})
    else:
        say_problem(problem)
    sys.exit(code)
