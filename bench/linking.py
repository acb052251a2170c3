"""Linking two lists of people, told nothing: `python bench/linking.py`. F1, and seconds of the whole command.

Seeds are not those that were looked at while it was written.
"""

from __future__ import annotations

import json
import subprocess
import sys
import time
from pathlib import Path

from data import DATA

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.people import people

SEEDS = (101, 102, 103, 104, 105)


def written(many: int, seed: int) -> tuple[Path, Path, set[tuple[str, str]]]:
    """The lists as CSV files, with the pairs that are the same."""
    DATA.mkdir(parents=True, exist_ok=True)
    lists = people(many, seed=seed)
    left, right = DATA / f"people_{many}_{seed}_left.csv", DATA / f"people_{many}_{seed}_right.csv"
    lists.left.write_csv(left)
    lists.right.write_csv(right)
    return left, right, lists.same


def linked(left: Path, right: Path) -> tuple[set[tuple[str, str]], float]:
    """Pairs of ids that the command finds, and seconds."""
    call = [
        str(Path(sys.executable).parent / "updraft"),
        "link",
        str(left),
        str(right),
        "--key",
        "id",
        "--json",
    ]
    started = time.perf_counter()
    said = subprocess.run(call, check=True, capture_output=True, text=True).stdout
    return {(pair["left"], pair["right"]) for pair in json.loads(said)}, time.perf_counter() - started


def f1(found: set[tuple[str, str]], same: set[tuple[str, str]]) -> tuple[float, float, float]:
    """Share that is right, share that is found, and their harmonic mean."""
    right = len(found & same)
    precision, recall = right / max(1, len(found)), right / len(same)
    return precision, recall, 2 * precision * recall / max(1e-9, precision + recall)


def main() -> None:
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 5_000
    for seed in SEEDS:
        left, right, same = written(many, seed)
        found, seconds = linked(left, right)
        print(
            f"seed {seed}: right {{:.4f}} found {{:.4f}} F1 {{:.4f}}".format(*f1(found, same)),
            f"{seconds:.2f} s",
        )


if __name__ == "__main__":
    main()
