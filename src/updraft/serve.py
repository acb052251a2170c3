"""`updraft serve` and `updraft demo`: the web server and, beside it, the worker that it keeps alive."""

from __future__ import annotations

import logging
import os
import secrets
import shutil
import signal
import subprocess
import sys
import threading
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import click
from filelock import FileLock, Timeout
from waitress.server import create_server

from updraft.core.connect import CONNECTION
from updraft.jobs import make_queue
from updraft.jobs.worker import ALREADY
from updraft.store import ConnectionStore, FlowStore, Folders, RunStore, open_database
from updraft.store.sweeping import OLD, swept
from updraft.web import create_app

if TYPE_CHECKING:
    from updraft.standins import StandIns

HOST = "127.0.0.1"
GENTLE = 5  # how much less urgent computing is, on the system's scale of 20
_ADDRESS = "address"  # file that says where the server of a data folder is
THREADS = 16  # what takes its time is worked out by others (updraft.web.live.patient)


def serve(
    data: Path, port: int, *, demo: bool = False, allow: frozenset[str] = frozenset(), memory: int = 0
) -> None:
    """Serve until interrupted. Only this machine can reach it: there are no accounts yet.

    Args:
        demo: put the example world in, and start its stand-ins beside the app.
        memory: bytes that the server should hold at most; 0 for half of the machine's.
        allow: addresses (host:port) of this machine or a private network that flows may ask.
    """
    _compute_gently()
    os.umask(0o077)  # what lies in the data folder is its owner's alone; the worker takes this over
    folders = Folders(data)
    alone = _alone(folders)  # held as long as the process lives
    open_database(folders.database)
    _, execute = make_queue(folders)
    standins = _standins(folders, port) if demo else None
    if standins:
        _furnish(folders)
        _connect(folders, standins)
        allow |= standins.allow
    os.environ["UPDRAFT_ALLOW"] = ",".join(sorted(allow))  # for the worker and its runs
    app = create_app(folders, execute, secret=_secret(folders), allow=allow, memory=memory)
    try:
        server = create_server(app, host=HOST, port=port, threads=THREADS, ident="Updraft")
    except OSError as error:
        raise click.ClickException(
            f"Port {port}: it cannot be listened on ({error.strerror}). "
            "Choose another with --port; 0 takes a free one."
        ) from None
    logging.basicConfig()
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    stop = threading.Event()
    keeper = threading.Thread(target=_keep_worker, args=(folders, stop), daemon=True)
    keeper.start()
    (folders.data / _ADDRESS).write_text(f"http://{HOST}:{server.effective_port}/")
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    # What is still being computed is left: it would be computed again, and nothing of it is half written.
    server.task_dispatcher.shutdown = partial(server.task_dispatcher.shutdown, timeout=1)
    threading.Thread(target=_sweep_now_and_then, args=(folders, stop), daemon=True).start()
    click.echo(f"Updraft is at http://{HOST}:{server.effective_port}/")
    if demo:
        click.echo(f"Files to try it with: {folders.data / 'larkmoor'}")
    click.echo("Ctrl+C stops it.", nl=True)
    sys.stdout.flush()
    try:
        server.run()
    except (KeyboardInterrupt, SystemExit):
        pass
    finally:
        stop.set()
        server.close()
        app.extensions["detecting"].close()
        app.extensions["windows"].close()
        keeper.join(3)
        last = threading.Thread(target=app.extensions["studio"].engine.cache.flush, daemon=True)
        last.start()
        last.join(1)
        if standins:
            standins.stop()
    alone.release()
    sys.stdout.flush()
    os._exit(0)  # threads that compute would be waited for


def _alone(folders: Folders) -> FileLock:
    """One server for a data folder: a second one would clear what the first has half done, and neither would
    know what the other keeps in memory.
    """
    lock = FileLock(folders.data / "server.lock")
    try:
        lock.acquire(timeout=0)
    except Timeout:
        address = folders.data / _ADDRESS
        where = f", at {address.read_text()}" if address.exists() else ""
        raise click.ClickException(
            f"{folders.data}: another Updraft serves this folder already{where}. "
            "Open that one, stop it, or name another folder with --data."
        ) from None
    return lock


def _sweep_now_and_then(folders: Folders, stop: threading.Event) -> None:
    """Clear what killed uploads, writers and runs left, now and every hour."""
    age = 0.0
    while True:
        swept(folders, age)
        age = OLD
        if stop.wait(3600):
            return


def _compute_gently() -> None:
    """Let computing give way to answering: Polars' threads take the rank of the thread that begins them."""

    def begin() -> None:
        import polars as pl

        if hasattr(os, "setpriority"):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), GENTLE)
        pl.LazyFrame({"n": range(1000)}).select(pl.col("n").sort().sum()).collect()

    if sys.platform == "linux":  # elsewhere the rank is the whole process's
        first = threading.Thread(target=begin)
        first.start()
        first.join()


def _standins(folders: Folders, port: int) -> StandIns:
    from updraft.standins import StandIns

    return StandIns(folders.data, (port + 1, port + 2, port + 3) if port else (0, 0, 0))


def _keep_worker(folders: Folders, stop: threading.Event) -> None:
    """Start the worker, and again whenever it ends; one that an earlier server left running is let be."""
    while not stop.is_set():
        worker = subprocess.Popen([sys.executable, "-m", "updraft.jobs.worker", str(folders.data)])
        while worker.poll() is None and not stop.wait(0.2):
            pass
        if worker.poll() is None:
            worker.terminate()
            try:
                worker.wait(2)
            except subprocess.TimeoutExpired:
                worker.kill()
        elif not stop.is_set():
            stop.wait(2 if worker.returncode == ALREADY else 0.5)


def _secret(folders: Folders) -> str:
    """The key that signs sessions: made once, readable by the owner only."""
    path = folders.data / "secret"
    known = path.read_bytes() if path.exists() else b""
    if len(known) != 64 or not known.isalnum():  # not there, empty or cut off: sessions begin anew
        beside = path.with_name(f".{path.name}.{secrets.token_hex(8)}")
        beside.touch(mode=0o600)
        beside.write_text(secrets.token_hex(32))
        beside.replace(path)
    return path.read_text()


def _furnish(folders: Folders) -> None:
    """Put the example world in, once: its files, the ready-made flows, and a run of one waiting for the
    worker.
    """
    from updraft.demo import build, build_material, ready_made

    shelf = folders.data / "larkmoor"
    build(shelf)
    build_material(shelf)
    mark = shelf / ".furnished"
    if mark.exists():
        return
    flows = FlowStore(folders)
    for ready in ready_made():
        flow_id = flows.create(ready.flow, "Came with the demo")
        for name in ready.files:
            shutil.copy(shelf / name, folders.files(flow_id))
    RunStore().create(flow_id, ready.flow, 1, {})  # the worker takes what waits when it starts
    mark.touch()


def _connect(folders: Folders, standins: StandIns) -> None:
    """Connections to the example world, with the addresses of this start."""
    store, lots = ConnectionStore(folders), folders.data / "larkmoor" / "seed_lots.sqlite"
    known = store.all()
    for raw in connections_of(standins, lots):
        name = str(raw["name"])
        if known.get(name) != CONNECTION.validate_python(raw):
            store.save(dict(raw), old=name if name in known else "")


def connections_of(standins: StandIns, lots: Path) -> list[dict[str, object]]:
    """The connections that the example world's flows name; `lots` is its database."""
    shop = {"url": standins.shop, "writes": True, "auth": "bearer", "secret": standins.token}
    ledger = {"url": standins.ledger, "auth": "basic", "user": standins.user, "secret": standins.password}
    return [
        {"kind": "database", "name": "Seed lots", "dialect": "sqlite", "database": str(lots)},
        {"kind": "web", "name": "Garden shop", **shop},
        {"kind": "web", "name": "Ledger", **ledger},
        {"kind": "web", "name": "Botanical reference", "url": standins.botany},
        {"kind": "mail", "name": "Store-room mail", "path": str(standins.mailbox)},
        {"kind": "mail", "name": "Outbox", "path": str(standins.outbox), "writes": True},
    ]
