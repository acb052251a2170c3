"""Plant defects in clean tables and print what is found of them: `make bench-findings`; `--misses` lists what went wrong."""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.scoring import measure


def main() -> None:
    score = measure(range(330), range(80))
    print("detector   planted  recall   said  precision")
    for group in sorted(set(score.planted) | set(score.said)):
        planted, said = score.planted[group], score.said[group]
        print(
            f"{group:8} {planted:9} {score.found[group] / max(planted, 1):8.1%} {said:6} {score.right[group] / max(said, 1):9.1%}"
        )
    print(
        f"overall  {sum(score.planted.values()):9} {score.recall:8.1%} {sum(score.said.values()):6} {score.precision:9.1%}"
    )
    print(
        f"repairs give back {score.restored:,} of {score.cells:,} planted cells ({score.restored / score.cells:.1%})"
    )
    print(
        f"clean tables: {len(score.alarms)}, false alarms {sum(score.alarms)}, most in one {max(score.alarms)}"
    )
    if "--misses" in sys.argv:
        print("\n".join(score.misses))


if __name__ == "__main__":
    main()
