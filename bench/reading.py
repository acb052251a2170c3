"""Reading against the fastest plain readers, the memory of nested files, and rows out of PostgreSQL.

`python bench/reading.py memory FILE` prints the most memory that reading FILE took, in times its size.
"""

from __future__ import annotations

import json
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import contextmanager
from pathlib import Path

import fastexcel
import polars as pl
import psycopg

from data import DATA, orders
from updraft.core import Engine, Files, Flow, TableCache
from updraft.core.connect import Outside
from updraft.core.connect.model import Database
from updraft.core.formats import read, write_xlsx
from updraft.core.values import decide
from updraft.demo.names import HUBS, VARIETIES

ROOT = Path(__file__).resolve().parent.parent
RUNS = 7
NESTED = 50_000_000  # bytes


def pairs(
    ours: Callable[[], float], theirs: Callable[[], float], runs: int = RUNS
) -> tuple[list[float], list[float]]:
    """Seconds of both, in turn, after a warm-up."""
    found: tuple[list[float], list[float]] = ([], [])
    for turn in range(runs + 1):
        for times, act in zip(found, (ours, theirs), strict=True):
            seconds = act()
            if turn:
                times.append(seconds)
    return found


def seconds(act: Callable[[], object]) -> float:
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


def looked(kind: str, settings: dict, folder: Path, outside: Outside | None = None) -> float:
    """Seconds from the step to its table with all kinds decided, in an engine that knows nothing yet."""
    flow = Flow.model_validate({"steps": [{"id": "it", "kind": kind, "settings": settings}]})
    with tempfile.TemporaryDirectory() as scratch:
        engine, files = (
            Engine(TableCache(Path(scratch))),
            Files(folder, **({"outside": outside} if outside else {})),
        )
        taken = seconds(
            lambda: engine.look(engine.plan(flow, files), "it", files).lazy().slice(0, 200).collect()
        )
        engine.cache.flush()
    return taken


def csv() -> tuple[list[float], list[float]]:
    path = orders()
    return pairs(
        lambda: looked("read_file", {"path": path.name}, path.parent),
        lambda: seconds(lambda: pl.read_csv(path, try_parse_dates=True)),
    )


def workbook() -> tuple[list[float], list[float]]:
    path = DATA / "wide.xlsx"
    if not path.exists():
        table = pl.read_csv(orders(), n_rows=100_000)
        write_xlsx(table.with_columns(table.to_series(n).alias(f"Again {n}") for n in range(8)), path)
    return pairs(
        lambda: looked("read_file", {"path": path.name}, path.parent),
        lambda: seconds(lambda: fastexcel.read_excel(path).load_sheet(0).to_polars()),
        3,
    )


def request(pick: random.Random, number: int) -> dict:
    return {
        "id": f"R{number:07d}",
        "hub": {
            "name": pick.choice(HUBS),
            "place": {"east": round(pick.random(), 5), "north": round(pick.random(), 5)},
        },
        "asked": f"2026-{1 + number % 12:02d}-{1 + number % 28:02d}",
        "note": pick.choice([None, "", "soon, please", "as last year"]),
        "lines": [
            {"variety": pick.choice(VARIETIES), "packets": pick.randint(1, 50)}
            for _ in range(pick.randint(1, 5))
        ],
    }


def as_xml(one: dict) -> str:
    lines = "".join(
        f'<line variety="{line["variety"]}"><packets>{line["packets"]}</packets></line>'
        for line in one["lines"]
    )
    place = one["hub"]["place"]
    return (
        f'<request id="{one["id"]}"><hub name="{one["hub"]["name"]}"><east>{place["east"]}</east><north>{place["north"]}</north></hub>'
        f"<asked>{one['asked']}</asked><note>{one['note'] or ''}</note><lines>{lines}</lines></request>\n"
    )


def nested(name: str, start: str, write: Callable[[dict], str], between: str, end: str) -> Path:
    path = DATA / name
    if not path.exists():
        pick, size, number = random.Random(5), 0, 0
        with path.open("w") as file:
            file.write(start)
            while size < NESTED:
                text = (between if number else "") + write(request(pick, number))
                size, number = size + file.write(text), number + 1
            file.write(end)
    return path


def memory() -> dict[str, tuple[float, float]]:
    """What → the most memory that reading it and deciding its kinds took, in times the file's size; and seconds."""
    files = {
        "50 MB of nested JSON": nested(
            "nested.json", '{"made": "2026-04-01", "requests": [', json.dumps, ",\n", "]}"
        ),
        "50 MB of nested XML": nested("nested.xml", "<requests>", as_xml, "", "</requests>"),
    }
    found = {}
    for what, path in files.items():
        done = subprocess.run(
            [sys.executable, __file__, "memory", str(path)], capture_output=True, text=True, check=True
        )
        times, taken = done.stdout.split()
        found[what] = (float(times), float(taken))
    return found


def measure_memory(path: Path) -> None:
    def most() -> int:
        return (
            int(
                next(
                    line
                    for line in Path("/proc/self/status").read_text().splitlines()
                    if line.startswith("VmHWM")
                ).split()[1]
            )
            * 1024
        )

    before = most()
    taken = seconds(lambda: decide(read(path).frame))
    print((most() - before) / path.stat().st_size, taken)


@contextmanager
def postgresql():
    """A server of our own, with the orders as the table `orders`."""
    sys.path.insert(0, str(ROOT))
    from tests.databases import Postgres

    with tempfile.TemporaryDirectory() as folder:
        server = Postgres(Path(folder) / "pg")
        try:
            connection = Database(
                name="Bench",
                dialect="postgresql",
                host="127.0.0.1",
                port=server.port,
                database="postgres",
                user="larkmoor",
                secret="sesame",
            )
            with psycopg.connect(address(connection)) as raw, raw.cursor() as cursor:
                table = decide(pl.read_csv(orders(), infer_schema=False))[0].drop_nulls("Grower")
                types = {
                    pl.Int64: "bigint",
                    pl.Float64: "double precision",
                    pl.Date: "date",
                    pl.Boolean: "boolean",
                }
                columns = ", ".join(
                    '"' + name + '" ' + types.get(dtype, "text") for name, dtype in table.schema.items()
                )
                cursor.execute(f"create table orders ({columns})")
                with cursor.copy("copy orders from stdin with (format csv)") as copy:
                    copy.write(table.write_csv(include_header=False))
                raw.commit()
            yield connection
        finally:
            server.stop()


def address(connection: Database) -> str:
    return f"postgresql://{connection.user}:{connection.secret}@{connection.host}:{connection.port}/{connection.database}"


def database() -> tuple[list[float], list[float]]:
    """A table of 1,000,000 rows: to a table with all kinds; and by psycopg in C to Python rows, in chunks, without a table."""
    with postgresql() as connection, tempfile.TemporaryDirectory() as folder:

        def driver() -> None:
            with psycopg.connect(address(connection)) as raw, raw.cursor(name="all") as cursor:
                cursor.execute("select * from orders")
                rows = 0
                while part := cursor.fetchmany(50_000):
                    rows += len(part)
                assert rows == 1_000_000

        outside = Outside({"Bench": connection}, allow=frozenset({"127.0.0.1"}))
        return pairs(
            lambda: looked(
                "read_database", {"connection": "Bench", "table": "orders"}, Path(folder), outside
            ),
            lambda: seconds(driver),
            2,
        )


def measure() -> list[tuple[str, str, str, str, bool]]:
    """Rows of the page: what, time, ratio, aim, met."""
    rows = []
    for what, (ours, theirs), most in (
        ("1,000,000 rows of CSV to a table, against Polars' reader", csv(), 1.5),
        ("100,000 × 20 cells of a workbook, against fastexcel", workbook(), 1.5),
        ("1,000,000 rows of PostgreSQL to a table, against psycopg's rows", database(), 1 / 0.7),
    ):
        times = sorted(a / b for a, b in zip(ours, theirs, strict=True))
        middle = statistics.median(times)
        shown = f"{statistics.median(ours):.2f} s / {statistics.median(theirs):.2f} s"
        rows.append(
            (what, shown, f"{middle:.2f}× ({times[0]:.2f}–{times[-1]:.2f})", f"≤ {most:.2g}×", middle <= most)
        )
    for what, (times, taken) in memory().items():
        rows.append((f"memory for {what}", f"{taken:.1f} s", f"{times:.1f}× its size", "< 6×", times < 6))
    return rows


if __name__ == "__main__":
    if sys.argv[1:2] == ["memory"]:
        measure_memory(Path(sys.argv[2]))
    else:
        for row in measure():
            print(*row, sep=" | ")
