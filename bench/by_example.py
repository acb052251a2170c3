"""How many tasks are worked out from one or two examples, and how long it takes on 1,000 different values.

The tasks stand in tests/by_example.py: `tasks` was written before anything could solve one, `apart` after it.
"""

from __future__ import annotations

import statistics
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

import polars as pl
from tests.by_example import Task, apart, iso, solve, tasks
from tests.more_examples import further
from tests.varied_examples import varied

from updraft.core.synthesis import from_examples

ROWS = 1000


def thousand(task: Task) -> pl.DataFrame:
    """The task's columns with its first row and 999 further rows that differ, of the same shape."""
    return pl.DataFrame(
        {
            name: [
                values[0],
                *(f"{values[n % len(values)]}{'' if n < len(values) else n}" for n in range(1, ROWS)),
            ]
            for name, values in task.columns.items()
        }
    )


def main() -> None:
    for name, some in (
        ("written before", tasks()),
        ("written after", apart()),
        ("further", further()),
        ("varied", varied()),
    ):
        done = [solve(task, from_examples) for task in some]
        by = [sum(one.examples == number for one in done) for number in (1, 2, 0)]
        share = 100 * (by[0] + by[1]) / len(done)
        print(
            f"{name}: {len(done)} tasks, {by[0]} with one example, {by[1]} with two, {by[2]} not: {share:.1f} %"
        )
        print("  not:", ", ".join(one.name for one in done if not one.examples) or "none")
    seconds = []
    for task in [*tasks(), *apart()]:
        table = thousand(task)
        started = time.perf_counter()
        from_examples(table, {0: task.wanted[0]})
        seconds.append(time.perf_counter() - started)
    seconds.sort()
    ms = [
        round(1000 * at)
        for at in (statistics.median(seconds), seconds[int(0.95 * len(seconds))], seconds[-1])
    ]
    print(f"on {ROWS:,} different values: median {ms[0]} ms, 95 % within {ms[1]} ms, longest {ms[2]} ms")
    names = pl.DataFrame({"name": iso("639-3", "name")[:ROWS]})
    started = time.perf_counter()
    from_examples(names, {0: names["name"][0].upper()})
    print(f"on {ROWS:,} names of languages: {1000 * (time.perf_counter() - started):.0f} ms")


if __name__ == "__main__":
    main()
