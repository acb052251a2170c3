"""Connections in the app's database. The secret part is encrypted with a key that lies beside it in a file
of its own.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from pydantic import ValidationError

from updraft.core import Problem
from updraft.core.connect import CONNECTION, Connection
from updraft.store.database import now
from updraft.store.folders import Folders
from updraft.store.models import ConnectionRow


class ConnectionStore:
    """Saves and gives connections by name. Secrets leave it only inside a Connection, never as text to
    show.
    """

    def __init__(self, folders: Folders) -> None:
        self._key_path = folders.data / "connections.key"

    def all(self) -> dict[str, Connection]:
        """Every connection, by name."""
        return {row.name: self._opened(row) for row in ConnectionRow.select().order_by(ConnectionRow.name)}

    def get(self, name: str) -> Connection:
        found = self.all().get(name)
        if found is None:
            raise Problem(
                f"Connection “{name}”",
                "there is none of this name.",
                "Go back to the list.",
                code="no_connection",
            )
        return found

    def save(self, raw: dict[str, object], *, old: str = "") -> Connection:
        """Save a connection from a form; an empty secret keeps the one that was there.

        Args:
            old: the name it had; empty for a new one.

        Raises:
            Problem: a field is missing or wrong, or the name is taken.
        """
        connection = self.read(raw, old=old)
        if connection.name != old and ConnectionRow.get_or_none(ConnectionRow.name == connection.name):
            raise Problem(
                f"Connection “{connection.name}”",
                "there is one of this name already.",
                "Choose another name.",
                field="name",
                code="same_name",
            )
        sealed = self._fernet().encrypt(connection.secret.encode()).decode() if connection.secret else ""
        fields = {
            "name": connection.name,
            "document": connection.model_dump_json(),
            "secret": sealed,
            "updated": now(),
        }
        if old:
            ConnectionRow.update(fields).where(ConnectionRow.name == old).execute()
        else:
            ConnectionRow.create(**fields)
        return connection

    def read(self, raw: dict[str, object], *, old: str = "") -> Connection:
        """The connection that a form describes, not saved."""
        filled = {key: value for key, value in raw.items() if value not in (None, "")}
        if old and not filled.get("secret"):
            filled["secret"] = self.get(old).secret
        try:
            return CONNECTION.validate_python(filled)
        except ValidationError as error:
            first = error.errors()[0]
            field = str(first["loc"][-1]) if first["loc"] else ""
            reason = (
                "it is missing"
                if first["type"] == "missing"
                else first["msg"].removeprefix("Value error, ").lower()
            )
            raise Problem(
                f"“{field}”", f"{reason}.", "Correct it.", field=field, code="bad_connection"
            ) from None

    def delete(self, name: str) -> None:
        self.get(name)
        ConnectionRow.delete().where(ConnectionRow.name == name).execute()

    def _opened(self, row: ConnectionRow) -> Connection:
        secret = ""
        if row.secret:
            try:
                secret = self._fernet().decrypt(row.secret.encode()).decode()
            except InvalidToken:
                secret = ""  # another key: the connection is shown and asks for its secret again
        return CONNECTION.validate_python({**json.loads(row.document), "secret": secret})

    def _fernet(self) -> Fernet:
        return Fernet(_key(self._key_path))


def _key(path: Path) -> bytes:
    """The key: made once, readable by the owner only."""
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        found = path.read_bytes()
        try:
            Fernet(found)
            return found
        except ValueError:  # empty or cut off; what it sealed asks for its secret again
            path.unlink(missing_ok=True)
            return _key(path)
    with os.fdopen(handle, "wb") as file:
        file.write(Fernet.generate_key())
    return path.read_bytes()
