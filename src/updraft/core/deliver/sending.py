"""Deliver messages: requests to a web service, mail into a folder. What was sent is not taken back."""

from __future__ import annotations

import tempfile
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from email.message import EmailMessage
from pathlib import Path

from updraft.core.connect import MailFolder, WebService
from updraft.core.deliver.contract import Delivered, Delivery, Effect, Outlet
from updraft.core.problems import Problem


@dataclass(frozen=True)
class Request:
    """What is sent to a web service: the path after the connection's address, and a body of JSON."""

    path: str
    body: str


class WebDelivery(Delivery):
    """Requests to a web service, in their order.

    Each carries an Idempotency-Key, by which a service that knows it does not take one request twice.
    """

    def __init__(
        self,
        outlet: Outlet,
        connection: WebService,
        method: str,
        requests: Sequence[Request],
        headers: dict[str, str],
        rows: int,
    ) -> None:
        self.step, self.content, self._outlet = outlet.step, outlet.content, outlet
        self._connection, self._method = connection, method
        self._requests, self._headers = requests, headers
        many = f"{len(requests):,} {'request' if len(requests) == 1 else 'requests'}"
        to = f"{connection.name} · {method} · {many}"
        place = f"{connection.url} {outlet.step}"  # several steps may send to one service
        self.effect = Effect(to, place, rows, final=True)

    def commit(self) -> Delivered:
        from updraft.core.connect.service import Service

        with (
            tempfile.TemporaryDirectory(prefix="updraft-") as keep,
            Service(self._connection, self._outlet.outside, Path(keep)) as service,
        ):
            for sent, request in enumerate(self._requests):
                headers = {
                    "Content-Type": "application/json",
                    "Idempotency-Key": uuid.uuid4().hex,
                    **self._headers,
                }
                try:
                    service.send(self._method, request.path, headers, request.body)
                except Problem as problem:
                    raise self._stopped(problem, sent) from None
        return Delivered(self.step, self.effect.to, self.effect.rows)

    def discard(self) -> None:
        """Nothing waits anywhere."""

    def _stopped(self, problem: Problem, sent: int) -> Problem:
        """What went wrong, with how far it came: what was sent stays sent."""
        many = len(self._requests)
        told = f"{problem.reason} It was request {sent + 1:,} of {many:,}; {sent:,} before it were sent."
        return Problem(
            problem.thing, told, problem.way_out, step=self.step, field=problem.field, code=problem.code
        )


class MailDelivery(Delivery):
    """Messages for a mail folder, from where they are sent."""

    def __init__(
        self, outlet: Outlet, connection: MailFolder, messages: Sequence[EmailMessage], rows: int
    ) -> None:
        self.step, self.content, self._outlet = outlet.step, outlet.content, outlet
        self._connection, self._messages = connection, messages
        many = f"{len(messages):,} {'message' if len(messages) == 1 else 'messages'}"
        place = f"mail:{connection.path}/{outlet.step}"  # several steps may send
        self.effect = Effect(f"{connection.name} · {many}", place, rows, final=True)

    def commit(self) -> Delivered:
        from updraft.core.connect.mail import CHAIN, put

        for message in self._messages:
            message["Auto-Submitted"] = "auto-generated"  # RFC 3834: nobody's machine should answer it
            if chain := self._outlet.outside.chain:
                message[CHAIN] = chain
            message["Date"] = datetime.now(UTC)
            message["Message-ID"] = f"<{uuid.uuid4().hex}@updraft.invalid>"
            put(self._connection, message)
        return Delivered(self.step, self.effect.to, self.effect.rows)

    def discard(self) -> None:
        """Nothing waits anywhere."""
