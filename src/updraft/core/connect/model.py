"""Connections: where something is and how to be let in. A flow names a connection; it never holds one.

The secret (a password, a token, a key) is left out whenever a connection is written anywhere.
"""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, field_validator

CLUSTER = r"local(\[[\d*,]+\])?|spark://[^\s/:]+:\d+(,[^\s/:]+:\d+)*|yarn|k8s://\S+"


class _Connection(BaseModel):
    """What all have.

    Args:
        writes: flows may write or send through it; otherwise they only read.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True, str_strip_whitespace=True)

    name: Annotated[str, Field(min_length=1, max_length=80)]
    secret: str = Field("", exclude=True, repr=False)

    def concealed(self, text: str) -> str:
        """A text of another program without the secret: whole, its lines, or with its blanks made one."""
        lines = [line.strip() for line in self.secret.splitlines()]
        forms = {self.secret, " ".join(self.secret.split()), *lines}
        for form in sorted((form for form in forms if len(form.strip()) >= 3), key=len, reverse=True):
            text = text.replace(form, "…")
        return text

    writes: bool = False


class Database(_Connection):
    """A database by form, or by `url` (an SQLAlchemy URL without a password) when the dialect is `other`. It
    is opened for reading only where flows may not write.
    """

    kind: Literal["database"] = "database"
    dialect: Literal["sqlite", "postgresql", "mysql", "other"] = "postgresql"
    host: str = "localhost"
    port: int | None = Field(None, ge=1, le=65535)
    database: str = ""  # for SQLite the path of the file
    user: str = ""
    url: str = ""

    @field_validator("url")
    @classmethod
    def _without_password(cls, url: str) -> str:
        if re.match(r"[^:/]+://[^/@]*:[^/@]*@", url):
            raise ValueError("the password stands in a field of its own, not in the URL")
        return url


class WebService(_Connection):
    """A web service below one address.

    Args:
        auth: `basic` sends user and secret, `bearer` the secret as a token, `key` the secret as `key_name` in
            a header or in the query.
        per_minute: requests sent at most.
    """

    kind: Literal["web"] = "web"
    url: str
    auth: Literal["none", "basic", "bearer", "key"] = "none"
    user: str = ""
    key_name: str = "X-API-Key"
    key_in: Literal["header", "query"] = "header"
    per_minute: int | None = Field(None, ge=1)

    @field_validator("url")
    @classmethod
    def _is_http(cls, url: str) -> str:
        if not re.match(r"https?://[^/\s]+", url):
            raise ValueError("the address must begin with http:// or https://")
        if "@" in re.split(r"[/?#]", url.split("://", 1)[1])[0]:
            raise ValueError("user and password stand in fields of their own, not in the address")
        return url


class MailFolder(_Connection):
    """A mailbox on disk in Maildir form: what came, or what is sent."""

    kind: Literal["mail"] = "mail"
    path: Annotated[str, Field(min_length=1)]


class Cluster(_Connection):
    """A Spark cluster that flows may be computed on, by its master's address, such as `spark://host:7077`.

    Args:
        folder: where parts lie in between: one that this machine and the cluster's all see under this path.
    """

    kind: Literal["cluster"] = "cluster"
    place: str
    folder: Annotated[str, Field(min_length=1)]

    @field_validator("place")
    @classmethod
    def _is_one(cls, place: str) -> str:
        if not re.fullmatch(CLUSTER, place):
            raise ValueError("the address must be such as spark://host:7077, or local[2] for this machine")
        return place


Connection = Database | WebService | MailFolder | Cluster
CONNECTION: TypeAdapter[Connection] = TypeAdapter(
    Annotated[Connection, Field(discriminator="kind")], config=ConfigDict(defer_build=True)
)
