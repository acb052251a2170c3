"""Findings on tables that nobody here made: judged by a person reading the table, and with defects put in.

`python bench/real_findings.py [work|apart]` prints the figures of the tables that were looked at while the detectors were
made, or of those kept apart; `--misses` lists what went wrong, `--unjudged` the findings nobody has judged yet.
"""

from __future__ import annotations

import json
import random
import sys
import zlib
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import polars as pl

from ground import Ground, Spoilt
from planters import PLANTERS
from real import RealTable, tables, worth_looking_at
from updraft.core.insight.findings import Finding, apply_repair, find, repair_all
from updraft.core.problems import Problem
from updraft.core.values import decide

JUDGED = Path(__file__).with_name("judged.jsonl")
_MOST_ROWS = 4000  # of a table that defects are put into
_EACH = 8  # defects a table, each in a table of its own


@dataclass
class Seen:
    """What came of one table."""

    name: str
    findings: list[tuple[str, str, str]] = field(default_factory=list)  # key, sentence, examples
    harmed: list[str] = field(
        default_factory=list
    )  # keys of repairs taken by themselves that changed the table
    planted: list[tuple[str, bool]] = field(default_factory=list)  # kind, found
    given_back: list[tuple[str, int, int]] = field(default_factory=list)  # kind, cells back, cells
    misses: list[str] = field(default_factory=list)


def tells(finding: Finding, spoilt: Spoilt) -> bool:
    if finding.code not in spoilt.codes:
        return False
    if spoilt.columns and finding.columns and not set(spoilt.columns) & set(finding.columns):
        return False
    rows = set(finding.rows.to_list())
    return not spoilt.places or not rows or bool(rows & set(spoilt.places))


def look(table: RealTable) -> Seen | None:
    try:
        typed = table.frame()
    except Problem:
        return None
    if not worth_looking_at(typed):
        return None
    seen = Seen(table.name)
    for finding in find(typed):
        seen.findings.append((finding.key, finding.sentence, " | ".join(finding.examples)))
    mended, done, _, _ = repair_all(typed)
    if not mended.equals(typed):
        seen.harmed = [one.finding.key for one in done]
    plant(table.name, typed.head(_MOST_ROWS), seen)
    return seen


def plant(name: str, typed: pl.DataFrame, seen: Seen) -> None:
    before = {finding.key for finding in find(typed)}
    rng = random.Random(zlib.crc32(name.encode()))
    ways = rng.sample(sorted(PLANTERS), len(PLANTERS))
    done = 0
    for way in ways:
        ground = Ground(typed, random.Random(zlib.crc32(f"{name} {way}".encode())))
        spoilt = PLANTERS[way](ground) if ground.names and len(ground.cells) > 10 else None
        if spoilt is None:
            continue
        frame = decide(spoilt.frame())[0]
        if read_right(typed, frame, spoilt, way):
            seen.planted.append((way, True))
            done += 1
            continue
        found = [f for f in find(frame) if tells(f, spoilt) and (spoilt.places or f.key not in before)]
        seen.planted.append((way, bool(found)))
        if not found:
            seen.misses.append(
                f"{name} · {way} · {spoilt.codes[0]} in {spoilt.columns or 'rows'} {spoilt.places[:4]}"
            )
        else:
            told = min(found, key=lambda f: spoilt.codes.index(f.code))
            mend(name, way, typed, frame, spoilt, told, seen)
        done += 1
        if done == _EACH:
            return


def read_right(typed: pl.DataFrame, frame: pl.DataFrame, spoilt: Spoilt, way: str) -> bool:
    """Whether reading alone made of the spoilt cells what they were."""
    if way == "yes in several words":
        return frame.schema[spoilt.columns[0]] == pl.Boolean
    if way.startswith(("decimal", "thousands", "brackets", "a currency", "date")) and spoilt.was:
        name = spoilt.columns[0]
        return frame.schema[name] == typed.schema[name] and all(
            _same(frame[name][row], typed[name][row]) for row, _ in spoilt.was
        )
    return False


def mend(
    name: str,
    way: str,
    typed: pl.DataFrame,
    frame: pl.DataFrame,
    spoilt: Spoilt,
    finding: Finding,
    seen: Seen,
) -> None:
    """Take the first repair that changes cells or rows, and count the cells that are what they were."""
    repair = finding.repairs[0] if finding.repairs else None
    if repair is None or repair.sentence.startswith("Mark") or not (spoilt.was or spoilt.added):
        return
    try:
        after = apply_repair(frame, repair)[0]
    except Problem as problem:
        seen.misses.append(f"{name} · {way} · repair fails: {problem}")
        seen.given_back.append((way, 0, 1))
        return
    if spoilt.added:
        back = after.height == frame.height - len(spoilt.added)
        seen.given_back.append((way, int(back), 1))
        if not back:
            seen.misses.append(
                f"{name} · {way} · {frame.height} rows became {after.height}: {finding.sentence}"
            )
        return
    cells = [(row, column) for row, column in spoilt.was if column in after.columns]
    empty = way.startswith("words for empty") or way == "sentinels"  # nothing is known there
    wanted = {c: pl.repeat(None, typed.height, eager=True) if empty else typed[c] for _, c in cells}
    if after.height != frame.height:
        cells = []
    back = sum(_same(after[column][row], wanted[column][row]) for row, column in cells)
    seen.given_back.append((way, back, len(spoilt.was)))
    if back * 10 < len(spoilt.was) * 9:
        some = [(after[c][r], wanted[c][r]) for r, c in cells[:3]]
        seen.misses.append(
            f"{name} · {way} · {back} of {len(spoilt.was)} given back by “{repair.sentence}”: {some}"
        )


def _same(one: object, other: object) -> bool:
    if one is None or other is None:
        return one is other
    try:
        return abs(float(str(one)) - float(str(other))) <= 1e-6 * max(abs(float(str(other))), 1)
    except ValueError:
        return (
            str(one)[:10] == str(other)[:10]
            if str(one)[:4].isdigit()
            else str(one).strip() == str(other).strip()
        )


def judgements() -> dict[tuple[str, str], str]:
    if not JUDGED.exists():
        return {}
    lines = [json.loads(line) for line in JUDGED.read_text().splitlines() if line.strip()]
    return {(line["table"], line["finding"]): line["said"] for line in lines}


def main() -> None:
    apart = {"work": False, "apart": True}[next((a for a in sys.argv[1:] if not a.startswith("-")), "work")]
    with ProcessPoolExecutor(2) as pool:
        looked = [seen for seen in pool.map(look, tables(apart), chunksize=2) if seen]
    known = judgements()
    said = Counter(known.get((seen.name, key), "unjudged") for seen in looked for key, *_ in seen.findings)
    print(f"{len(looked)} tables, {sum(said.values())} findings: {dict(said)}")
    harmed = [s for s in looked if any(known.get((s.name, key)) != "true" for key in s.harmed)]
    print(
        f"repairs taken without a choice changed {sum(bool(s.harmed) for s in looked)} tables, {len(harmed)} of them not judged true"
    )
    planted: dict[str, list[bool]] = defaultdict(list)
    back: dict[str, list[int]] = defaultdict(lambda: [0, 0])
    for seen in looked:
        for way, found in seen.planted:
            planted[way].append(found)
        for way, good, all_ in seen.given_back:
            back[way][0] += good / all_  # each defect counts once, however many cells it has
            back[way][1] += 1
    for way in sorted(planted):
        given = f"{back[way][0] / back[way][1]:.0%}" if back[way][1] else "–"
        print(f"  {way:32} {sum(planted[way]):3} of {len(planted[way]):3}   given back {given}")
    all_found, all_ = sum(map(sum, planted.values())), sum(map(len, planted.values()))
    given, offered = sum(b[0] for b in back.values()), sum(b[1] for b in back.values())
    print(
        f"planted {all_}, found {all_found} ({all_found / all_:.1%}); {offered} repairs give back {given / max(offered, 1):.1%}"
    )
    if "--misses" in sys.argv:
        print("\n".join(miss for seen in looked for miss in seen.misses))
    if "--unjudged" in sys.argv:
        for seen in looked:
            for key, sentence, examples in seen.findings:
                if (seen.name, key) not in known:
                    print(
                        json.dumps(
                            {"table": seen.name, "finding": key, "sentence": sentence, "examples": examples}
                        )
                    )


if __name__ == "__main__":
    main()
