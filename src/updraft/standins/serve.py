"""Start the stand-ins on this machine."""

from __future__ import annotations

import contextlib
import threading
from pathlib import Path
from typing import Any

from waitress.server import create_server

from updraft.standins.botany import make_botany
from updraft.standins.ledger import PASSWORD, USER, make_ledger
from updraft.standins.mailbox import fill_mailbox, make_outbox
from updraft.standins.shop import TOKEN, make_shop

HOST = "127.0.0.1"


class StandIns:
    """The shop, the ledger and the botanical reference on ports of this machine, each in a thread, and the
    mail folders.

    Args:
        folder: where the mail folders are made.
        ports: of shop, ledger and reference; 0, or one that is taken, becomes a free one.
    """

    def __init__(self, folder: Path, ports: tuple[int, int, int] = (0, 0, 0)) -> None:
        self._servers: list[Any] = []
        apps = (make_shop(), make_ledger(), make_botany())
        shop, ledger, botany = (self._start(app, port) for app, port in zip(apps, ports, strict=True))
        self.shop, self.ledger = f"http://{HOST}:{shop}/", f"http://{HOST}:{ledger}/odata/"
        self.botany = f"http://{HOST}:{botany}/"
        self.allow = frozenset(f"{HOST}:{port}" for port in (shop, ledger, botany))
        self.token, self.user, self.password = TOKEN, USER, PASSWORD
        self.mailbox = fill_mailbox(folder / "storeroom-mail")
        self.outbox = make_outbox(folder / "outbox")

    def stop(self) -> None:
        for server in self._servers:
            server.close()

    def _start(self, app: Any, port: int) -> int:
        try:
            server = create_server(app, host=HOST, port=port, threads=2, ident=None)
        except OSError:
            server = create_server(app, host=HOST, port=0, threads=2, ident=None)
        self._servers.append(server)
        threading.Thread(target=self._serve, args=(server,), daemon=True).start()
        return int(server.effective_port)

    @staticmethod
    def _serve(server: Any) -> None:
        with contextlib.suppress(OSError):  # closed
            server.run()
