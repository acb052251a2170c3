"""`updraft show`: open a data file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from updraft.cli.options import FILE, as_json

if TYPE_CHECKING:
    from updraft.core.formats import Detected


@click.command()
@FILE
@click.option("--rows", type=click.IntRange(0, 10_000), default=10, show_default=True, help="Rows to show.")
@as_json()
def show(file: Path, rows: int, as_json: bool) -> None:
    """Open a data file with what is detected and show its first rows."""
    from updraft.cli import loading, saying
    from updraft.core.engine import Engine, Files
    from updraft.core.figures.text import shown
    from updraft.core.formats import detect
    from updraft.core.problems import Problem
    from updraft.core.values import kind_of

    files = Files(file.parent, {"file": file.resolve()})
    try:
        engine = Engine()
        table = engine.look(engine.plan(loading.flow_reading(file), files), "file", files)
    except Problem as problem:
        saying.fail(problem, as_json, 2 if problem.code == "no_file" else 1)
    columns = [{"name": name, "kind": kind_of(dtype).value} for name, dtype in table.schema().items()]
    first = table.lazy().head(rows).collect()
    options = _options(detect(file))
    if as_json:
        saying.say_json(
            {
                "rows": table.height,
                "columns": columns,
                "first": first.to_dicts(),
                "detected": options,
                "evidence": table.evidence,
                "warnings": list(table.warnings),
            }
        )
        return
    texts = first.select(shown(s).alias(s.name) for s in first)
    saying.say_table([(c["name"], c["kind"]) for c in columns], texts.iter_rows())
    saying.say(f"{table.height:,} rows × {len(columns)} columns")
    for name, option in options.items():
        value = (
            ""
            if option["value"] in (None, "", (), [])
            else f" {json.dumps(option['value'], ensure_ascii=False)}"
        )
        saying.say(f"{saying.dim(name)}{value} {saying.dim('(' + option['reason'] + ')')}")
    for warning in table.warnings:
        saying.say(warning)


def _options(found: Detected) -> dict[str, dict[str, Any]]:
    """What a file is read with and why: option → its `value` and the `reason`."""
    values = {"format": found.format, "member": found.options.member, **vars(found.options)}
    return {name: {"value": values.get(name), "reason": reason} for name, reason in found.reasons.items()}
