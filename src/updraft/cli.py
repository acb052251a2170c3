"""The command line: start the app, run and check flows, look at files. Exit codes: 0 ok, 1 failed, 2 wrong call."""

from __future__ import annotations

import contextlib
import json
import os
import sys
import threading
from datetime import date
from pathlib import Path
from typing import Any, NoReturn

import click
import polars as pl
from rich.console import Console
from rich.markup import escape
from rich.table import Table as Grid

from updraft import __version__
from updraft.core import Engine, Files, Flow, Problem, load, plan, run
from updraft.core.connect import CONNECTION, Connection, Outside
from updraft.core.engine import StepReport
from updraft.core.figures import profile, profile_table, shown
from updraft.core.flow.edits import SetSettings
from updraft.core.formats import Detected, detect
from updraft.core.formats.write import write
from updraft.core.insight import find, repair_all
from updraft.core.insight.neighbours import dismissed, neighbours
from updraft.core.steps import Source, kinds
from updraft.core.values import kind_of

DATA = click.option("--data", type=click.Path(path_type=Path, file_okay=False), envvar="UPDRAFT_DATA",
                    default=Path.home() / ".local/share/updraft", show_default=True, help="Folder for the app's data.")
PORT = click.option("--port", type=click.IntRange(0, 65535), default=8765, show_default=True,
                    help="Port on 127.0.0.1; 0 takes a free one.")
ALLOW = click.option("--allow", multiple=True, metavar="HOST:PORT", envvar="UPDRAFT_ALLOW",
                     help="Let flows ask this address although it is of this machine or a private network.")
screen, errors = Console(highlight=False, soft_wrap=True), Console(stderr=True, highlight=False, soft_wrap=True)


@click.group()
@click.version_option(__version__)
def main() -> None:
    """Updraft: messy data in, report-ready tables out, through repeatable flows."""


@main.command("run")
@click.argument("flow", type=click.Path(path_type=Path))
@click.option("--input", "inputs", multiple=True, metavar="STEP=PATH", help="Let a source step read another file.")
@click.option("--set", "settings", multiple=True, metavar="NAME=VALUE", help="Give a parameter another value.")
@click.option("--out", type=click.Path(path_type=Path, file_okay=False), default=Path(),
              help="Folder for the outputs; the current one by default.")
@click.option("--connections", type=click.Path(path_type=Path), help="JSON file with the connections the flow names.")
@click.option("--data", type=click.Path(path_type=Path, file_okay=False), envvar="UPDRAFT_DATA",
              help="Or the app's data folder, to use the connections saved there.")
@ALLOW
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def run_(flow: Path, inputs: tuple[str, ...], settings: tuple[str, ...], out: Path, connections: Path | None,
         data: Path | None, allow: tuple[str, ...], as_json: bool) -> None:
    """Run a flow file. Paths in it are relative to it."""
    try:
        found = _load(flow)
        found, given = _with_inputs(found, _pairs(inputs, "--input", "STEP=PATH"))
        outside = Outside(_connections(connections, data), None, frozenset(allow))
        files = Files(flow.parent, given, confined=False, by_content=False, outside=outside, today=date.today)
        planned = plan(found, files, _pairs(settings, "--set", "NAME=VALUE"))
        wrong = next((s.problem for s in planned.steps.values() if s.problem and s.step.enabled), None)
        if wrong is not None:
            raise wrong
    except Problem as problem:
        _fail(problem, as_json, 2)
    report = run(planned, files, out, progress=None if as_json else _say)
    if as_json:
        click.echo(json.dumps(report.as_dict(), ensure_ascii=False, indent=1))
    else:
        for output in report.outputs:
            screen.print(f"Wrote [bold]{output.path}[/] ({output.rows:,} rows)")
        if report.error:
            _print_problem(report.error)
        screen.print(f"{'Done' if report.status == 'ok' else report.status.capitalize()} in {report.seconds:.2f} s")
    sys.exit(0 if report.status == "ok" else 1)


@main.command()
@click.argument("flow", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def check(flow: Path, as_json: bool) -> None:
    """Say what is wrong with a flow file, without computing anything."""
    try:
        planned = plan(_load(flow), Files(flow.parent, confined=False, today=date.today))
    except Problem as problem:
        _fail(problem, as_json, 2)
    wrong = [step.problem for step in planned.steps.values() if step.problem]
    if as_json:
        click.echo(json.dumps({"ok": not wrong, "problems": [p.as_dict() for p in wrong]}, ensure_ascii=False, indent=1))
    else:
        for problem in wrong:
            _print_problem(problem)
        screen.print(f"{len(planned.steps)} steps, {len(wrong)} to mend" if wrong else f"{len(planned.steps)} steps, all fine")
    sys.exit(2 if wrong else 0)


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--rows", type=click.IntRange(0, 10_000), default=10, show_default=True, help="Rows to show.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def show(file: Path, rows: int, as_json: bool) -> None:
    """Open a data file with what is detected and show its first rows."""
    flow = _flow_reading(file)
    files = Files(file.parent, {"file": file.resolve()})
    try:
        engine = Engine()
        table = engine.look(engine.plan(flow, files), "file", files)
    except Problem as problem:
        _fail(problem, as_json, 2 if problem.code == "no_file" else 1)
    columns = [{"name": name, "kind": kind_of(dtype).value} for name, dtype in table.schema().items()]
    first = table.lazy().head(rows).collect()
    found = detect(file)
    if as_json:
        click.echo(json.dumps({"rows": table.height, "columns": columns, "first": first.to_dicts(), "detected": _options(found),
                               "evidence": table.evidence, "warnings": list(table.warnings)}, default=str, ensure_ascii=False, indent=1))
        return
    grid = Grid(*(f"{c['name']}\n[dim]{c['kind']}[/]" for c in columns), header_style="bold")
    for row in first.select(shown(s).alias(s.name) for s in first).iter_rows():
        grid.add_row(*("[dim]empty[/]" if cell is None else str(cell) for cell in row))
    screen.print(grid)
    screen.print(f"{table.height:,} rows × {len(columns)} columns")
    for name, option in _options(found).items():
        value = "" if option["value"] in (None, "", (), []) else f" {escape(json.dumps(option['value'], ensure_ascii=False))}"
        screen.print(f"[dim]{name}[/]{value} [dim]({escape(option['reason'])})[/]")
    for warning in table.warnings:
        screen.print(escape(warning))


def _options(found: Detected) -> dict[str, dict[str, Any]]:
    """What a file is read with and why: option → its `value` and the `reason`."""
    values = {"format": found.format, "member": found.options.member, **vars(found.options)}
    return {name: {"value": values.get(name), "reason": reason} for name, reason in found.reasons.items()}


@main.command("profile")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--step", "step_id", default="", metavar="ID", help="Of a flow: the step whose table is meant; the last one by default.")
@click.option("--json", "as_json", is_flag=True, help="Print a JSON list.")
def profile_(file: Path, step_id: str, as_json: bool) -> None:
    """Figures of every column of a data file, or of a table of a flow."""
    table, *_ = _table_of(file, step_id, as_json)
    found = profile(table)
    if as_json:
        click.echo(json.dumps([column.as_dict() for column in found], ensure_ascii=False, indent=1, default=str))
        return
    grid = Grid("Column", "Kind", "Empty", "Odd", "Distinct", "Smallest", "Largest", "Mean", "Most frequent", header_style="bold")
    for row in profile_table(found).iter_rows(named=True):
        mean = "" if row["Mean"] is None else f"{row['Mean']:,.6g}"
        cells = [row["Column"], row["Kind"], f"{row['Empty']:,}", f"{row['Odd']:,}", f"{row['Distinct']:,}", row["Smallest"] or "",
                 row["Largest"] or "", mean, "" if row["Most frequent"] is None else f"{row['Most frequent']} ({row['Times']:,})"]
        grid.add_row(*(escape(cell) for cell in cells))
    screen.print(grid)
    screen.print(f"{table.height:,} rows × {table.width} columns")


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--step", "step_id", default="", metavar="ID", help="Of a flow: the step whose table is meant; the last one by default.")
@click.option("--json", "as_json", is_flag=True, help="Print a JSON list, with the repairs as steps.")
def findings(file: Path, step_id: str, as_json: bool) -> None:
    """Say what looks wrong in a data file, or in a table of a flow, and how to repair it."""
    table, others, away = _table_of(file, step_id, as_json)
    found = [finding for finding in find(table, others) if finding.key not in away]
    if as_json:
        click.echo(json.dumps([finding.as_dict() for finding in found], ensure_ascii=False, indent=1, default=str))
        return
    for finding in found:
        screen.print(f"[bold]{escape(finding.sentence)}[/]")
        if finding.examples:
            screen.print(f"  [dim]{escape(' · '.join(finding.examples))}[/]")
        for repair in finding.repairs:
            screen.print(f"  → {escape(repair.sentence)}")
    screen.print(f"{len(found)} {'finding' if len(found) == 1 else 'findings'}" if found else "Nothing looks wrong.")


@main.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--all", "all_", is_flag=True, required=True, help="Take the first repair of every finding that needs no choice.")
@click.option("--out", type=click.Path(path_type=Path), required=True, metavar="FILE",
              help="The repaired table: .csv, .xlsx, .parquet, .arrow or .json.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")
def repair(file: Path, all_: bool, out: Path, as_json: bool) -> None:
    """Repair a data file: take the first repair of every finding, and say what was done."""
    table, others, _ = _table_of(file, "", as_json)
    mended, done, left = repair_all(table, others)
    try:
        write(mended, out)
    except Problem as problem:
        _fail(problem, as_json, 2)
    if as_json:
        click.echo(json.dumps({
            "status": "ok", "out": str(out), "rows": mended.height,
            "done": [{"code": d.finding.code, "columns": list(d.finding.columns), "sentence": d.finding.sentence,
                      "repair": d.repair.sentence, "effect": d.effect, "steps": list(d.repair.steps)} for d in done],
            "left": [finding.as_dict() for finding in left]}, ensure_ascii=False, indent=1, default=str))
        return
    for taken in done:
        screen.print(f"[bold]{escape(taken.finding.sentence)}[/]\n  → {escape(taken.repair.sentence)}: {taken.effect}")
    for finding in left:
        screen.print(f"[dim]Left: {escape(finding.sentence)}[/]")
    screen.print(f"Wrote [bold]{out}[/] ({mended.height:,} rows); {len(done)} repaired, {len(left)} left")

@main.command()
@click.option("--json", "as_json", is_flag=True, help="Print every kind with its JSON Schema.")
def steps(as_json: bool) -> None:
    """List the kinds of steps."""
    if as_json:
        click.echo(json.dumps([
            {"kind": k.kind, "title": k.title, "family": k.family, "summary": k.summary, "version": k.version,
             "inputs": [port.name for port in k.inputs], "outputs": ["", *k.outputs],
             "settings": k.Settings.model_json_schema()} for k in kinds().values()], ensure_ascii=False, indent=1))
        return
    for k in kinds().values():
        screen.print(f"[bold]{k.kind:18}[/] {k.summary}")


@main.command()
@DATA
@PORT
@ALLOW
def serve(data: Path, port: int, allow: tuple[str, ...]) -> None:
    """Start the app on this machine (127.0.0.1) with its worker."""
    from updraft.serve import serve as start
    start(data, port, allow=frozenset(allow))


@main.command()
@DATA
@PORT
def demo(data: Path, port: int) -> None:
    """Start the app with the example world of Larkmoor Seed Exchange and its simulated services."""
    from updraft.serve import serve as start
    start(data, port, demo=True)


@main.command()
@DATA
@PORT
def standins(data: Path, port: int) -> None:
    """Start the simulated services of the example world alone: shop, ledger, mailbox."""
    from updraft.standins import StandIns
    started = StandIns(data, (port, port + 1 if port else 0))
    screen.print(f"Garden shop at {started.shop} (token {started.token})")
    screen.print(f"Ledger at {started.ledger} (user {started.user}, password {started.password})")
    screen.print(f"Store-room mail in {started.mailbox}")
    screen.print("Ctrl+C stops them.")
    with contextlib.suppress(KeyboardInterrupt):
        threading.Event().wait()
    started.stop()


def _load(path: Path) -> Flow:
    try:
        return load(path.read_text(encoding="utf-8"), source=path.name)
    except FileNotFoundError:
        raise Problem(str(path), "this flow file is not here.", "Check the path.", code="no_file") from None
    except (OSError, UnicodeDecodeError) as error:
        raise Problem(str(path), f"it cannot be read ({error}).", "Choose a flow file.", code="no_file") from None


def _pairs(texts: tuple[str, ...], option: str, form: str) -> dict[str, str]:
    found = {}
    for text in texts:
        name, equals, value = text.partition("=")
        if not equals or not name:
            raise Problem(f"{option} {text}", "it has no “=”.", f"Write it as {form}.", code="bad_call")
        found[name] = value
    return found


def _with_inputs(flow: Flow, inputs: dict[str, str]) -> tuple[Flow, dict[str, Path]]:
    """The flow with the named sources reading the given files."""
    given = {}
    for step_id, path in inputs.items():
        sources = [s.id for s in flow.steps if isinstance(kinds().get(s.kind), Source)]
        if step_id not in sources:
            raise Problem(f"--input {step_id}", "the flow has no source of this id.",
                          f"Its sources are: {', '.join(sources) or 'none'}.", code="bad_call")
        name = f"{step_id}={Path(path).name}"
        given[name] = Path(path).resolve()
        if not given[name].is_file():
            raise Problem(path, "this file is not here.", "Check the path.", step=step_id, code="no_file")
        flow = _reading(flow, step_id, name)
    return flow, given


def _reading(flow: Flow, step_id: str, path: str) -> Flow:
    """The flow with a source reading this file; one that read something else becomes Read file."""
    step = flow.step(step_id)
    if step.kind == "read_file":
        return SetSettings(id=step_id, settings={**step.settings, "path": path}).apply(flow)
    instead = step.model_copy(update={"kind": "read_file", "settings": {"path": path}})
    return flow.model_copy(update={"steps": tuple(instead if s.id == step_id else s for s in flow.steps)})


def _connections(path: Path | None, data: Path | None) -> dict[str, Connection]:
    """Connections from a file and from the app's data. A secret may be given as $NAME, a variable of the environment."""
    found: dict[str, Connection] = {}
    if data is not None and (data / "updraft.sqlite").exists():
        from updraft.store import ConnectionStore, Folders, open_database
        folders = Folders(data)
        open_database(folders.database)
        found |= ConnectionStore(folders).all()
    if path is not None:
        try:
            for raw in json.loads(path.read_text(encoding="utf-8")):
                secret = str(raw.get("secret", ""))
                known = {**raw, "secret": os.environ.get(secret[1:], "") if secret.startswith("$") else secret}
                connection = CONNECTION.validate_python(known)
                found[connection.name] = connection
        except FileNotFoundError:
            raise Problem(str(path), "this file of connections is not here.", "Check the path.", code="no_file") from None
        except (ValueError, AttributeError, TypeError) as error:
            raise Problem(str(path), f"it is no list of connections ({str(error).splitlines()[0]}).",
                          "See docs/command-line.md for one.", code="bad_call") from None
    return found


def _table_of(path: Path, step_id: str, as_json: bool) -> tuple[
        pl.DataFrame, dict[str, pl.DataFrame], dict[str, str]]:
    """The table of a data file, or of a step of a flow file with the other tables it may meet and what was dismissed."""
    try:
        engine = Engine()
        if not path.is_file():
            raise Problem(str(path), "this file is not here.", "Check the path.", code="no_file")
        if not path.name.endswith(".updraft.json"):
            if step_id:
                raise Problem(f"--step {step_id}", "only a flow (.updraft.json) has steps.",
                              "Leave it out, or name a flow.", code="bad_call")
            flow, files, step_id = _flow_reading(path), Files(path.parent, {"file": path.resolve()}), "file"
        else:
            flow, files = _load(path), Files(path.parent, confined=False, by_content=False, today=date.today)
            step_id = step_id or next((s.id for s in reversed(flow.steps)), "")
        if not flow.has(step_id):
            raise Problem(f"--step {step_id}", "the flow has no such step.",
                          f"Its steps are: {', '.join(s.id for s in flow.steps) or 'none'}.", code="bad_call")
        planned = engine.plan(flow, files)
        table = engine.look(planned, step_id, files).lazy().collect()
        others = {}
        for other, name in neighbours(flow, step_id).items():
            with contextlib.suppress(Problem):  # a table that cannot be had is none to meet
                others[name] = engine.look(planned, other, files).lazy().collect()
        return table, others, dismissed(flow, step_id)
    except Problem as problem:
        _fail(problem, as_json, 2 if problem.code in ("no_file", "bad_call") else 1)


def _flow_reading(file: Path) -> Flow:
    return Flow.model_validate({"steps": [{"id": "file", "kind": "read_file", "settings": {"path": "file"}}]})


def _say(step_id: str, done: StepReport | None) -> None:
    if done is None:
        return
    change = "" if done.rows_in is None else f"{done.rows_in:,} → "
    facts = "; ".join([fact.text for fact in done.facts] + list(done.warnings))
    screen.print(f"[bold]{done.name:28}[/] {change}{done.rows_out:,} rows  [dim]{done.seconds:.3f} s[/]  {facts}")


def _print_problem(problem: Problem) -> None:
    where = f"[{problem.step}] " if problem.step else ""
    errors.print(f"{where}{problem}", style="red", markup=False)


def _fail(problem: Problem, as_json: bool, code: int) -> NoReturn:
    if as_json:
        click.echo(json.dumps({"status": "failed", "steps": [], "outputs": [], "error": problem.as_dict()},
                              ensure_ascii=False, indent=1))
    else:
        _print_problem(problem)
    sys.exit(code)

