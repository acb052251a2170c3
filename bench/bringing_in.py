"""Seconds from dropping a file on the page to its first rows and the picture of the file, through the real app."""

from __future__ import annotations

import gzip
import io
import sqlite3
import tempfile
import time
from contextlib import closing
from pathlib import Path

import polars as pl

from data import DATA, orders
from updraft.core.formats import write_xlsx
from updraft.store import Folders, open_database
from updraft.web import create_app

AIM = 10.0  # seconds


def files() -> dict[str, Path]:
    """The same orders in every format: what → its file, made once."""
    table = pl.read_csv(orders(), infer_schema=False)
    made: dict[str, Path] = {"1,000,000 rows, CSV": orders()}

    def put(what: str, name: str, write) -> None:
        made[what] = DATA / name
        if not made[what].exists():
            write(made[what])

    put(
        "1,000,000 rows, CSV in .gz",
        "orders.csv.gz",
        lambda path: path.write_bytes(gzip.compress(orders().read_bytes(), 5)),
    )
    put("1,000,000 rows, Parquet", "orders.parquet", table.write_parquet)
    part = table.head(100_000)
    put("100,000 rows, workbook", "orders.xlsx", lambda path: write_xlsx(part, path))
    put("100,000 rows, fixed width", "orders.txt", lambda path: fixed(part, path))
    put("100,000 rows, SQLite file", "orders.sqlite", lambda path: sqlite(part, path))
    put("100,000 records, JSON", "orders.json", lambda path: path.write_text(part.write_json()))
    put("50,000 records, XML", "orders.xml", lambda path: xml(part.head(50_000), path))
    return made


def fixed(table: pl.DataFrame, path: Path) -> None:
    widths = [int(table[c].str.len_chars().max() or 0) + 2 for c in table.columns]
    rows = [table.columns, *table.iter_rows()]
    path.write_text(
        "\n".join(
            "".join(
                (cell or "").ljust(max(w, len(n) + 2))
                for cell, w, n in zip(row, widths, table.columns, strict=True)
            )
            for row in rows
        )
    )


def sqlite(table: pl.DataFrame, path: Path) -> None:
    with closing(sqlite3.connect(path)) as db, db:
        db.execute(f"create table orders ({', '.join(chr(34) + c + chr(34) for c in table.columns)})")
        db.executemany(f"insert into orders values ({','.join('?' * table.width)})", table.iter_rows())


def xml(table: pl.DataFrame, path: Path) -> None:
    tags = [c.replace(" ", "_") for c in table.columns]
    rows = (
        "<order>"
        + "".join(f"<{t}>{(v or '').replace('&', '&amp;')}</{t}>" for t, v in zip(tags, row, strict=True))
        + "</order>"
        for row in table.iter_rows()
    )
    path.write_text("<orders>" + "\n".join(rows) + "</orders>")


def measure() -> list[tuple[str, float]]:
    """What → seconds, once each on a fresh app (a person drops a file once)."""
    found = []
    for what, path in files().items():
        with tempfile.TemporaryDirectory() as scratch:
            folders = Folders(Path(scratch))
            open_database(folders.database)
            app = create_app(folders, lambda run: None, secret="bench")
            client = app.test_client()
            token = (
                client.get("/").get_data(as_text=True).split('name="csrf-token" content="')[1].split('"')[0]
            )
            head = {"X-CSRFToken": token}
            flow = client.post("/api/flows", json={}, headers=head).json["id"]
            content = path.read_bytes()
            started = time.perf_counter()
            sent = client.post(
                f"/api/flows/{flow}/files", data={"file": (io.BytesIO(content), path.name)}, headers=head
            ).json
            step = {
                "id": "it",
                "kind": "read_file",
                "settings": {"path": sent["path"], "layout": sent["columns"]},
            }
            client.post(
                f"/api/flows/{flow}/edits", json={"edits": [{"op": "add", "step": step}]}, headers=head
            )
            table = client.post(f"/api/flows/{flow}/look", json={"step": "it"}, headers=head).json["table"]
            rows = client.get(f"/api/flows/{flow}/tables/{table['key']}/rows?limit=200").json["rows"]
            client.post(f"/api/flows/{flow}/files/detected", json={"step": "it"}, headers=head)
            found.append((what, time.perf_counter() - started))
            app.extensions["studio"].engine.cache.flush()
            assert len(rows) == 200 and table["rows"] >= 50_000, what
    return found


if __name__ == "__main__":
    for what, seconds in measure():
        print(f"{what:30} {seconds:6.2f} s")
