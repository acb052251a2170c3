"""Ask web services: with their authentication, patiently, not too fast, and only once for the same thing."""

from __future__ import annotations

import base64
import json
import time
import uuid
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urljoin, urlsplit

import httpx
import xxhash

from updraft.core.connect.guard import guarded_transport
from updraft.core.connect.model import WebService
from updraft.core.connect.outside import Outside
from updraft.core.formats import is_page
from updraft.core.problems import Problem

TRIES = 5
MOST_BYTES = 512 << 20  # of one answer
_LONGEST_ANSWER = 900.0  # seconds; a service that sends now and then a byte would never end
_LONGEST_WAIT = 30.0  # seconds, whatever an answer asks for
_AGAIN = {429, 502, 503, 504}
_ACCEPTED = "application/json, text/csv, application/xml;q=0.9, */*;q=0.5"
_TIMEOUT = httpx.Timeout(30.0, connect=10.0)


@dataclass(frozen=True)
class Answer:
    """What came: the kept file with the body, the headers in lower case, and the address it came from."""

    path: Path
    headers: dict[str, str]
    url: str

    def json(self) -> Any:
        """The body as JSON; Problem when it is none."""
        try:
            return json.loads(self.path.read_bytes())
        except ValueError:
            raise Problem(
                self.url, "its answer is not JSON.", "See that the address is right.", code="not_json"
            ) from None


class Service:
    """One web service, for as long as a step asks it.

    Args:
        keep: the folder for answers; what is there already is not asked again.
        sleep: waits; tests give another one.
    """

    def __init__(
        self,
        connection: WebService,
        outside: Outside,
        keep: Path,
        *,
        sleep: Callable[[float], None] = time.sleep,
    ) -> None:
        self.connection, self.outside, self.keep, self._sleep = connection, outside, keep, sleep
        self._last = 0.0
        self._client = httpx.Client(
            transport=guarded_transport(outside.allow), timeout=_TIMEOUT, trust_env=False
        )
        keep.mkdir(parents=True, exist_ok=True)

    def __enter__(self) -> Service:
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()

    def ask(
        self,
        path: str = "",
        query: list[tuple[str, str]] | None = None,
        *,
        method: str = "GET",
        headers: dict[str, str] | None = None,
        body: str = "",
        repeatable: bool = False,
    ) -> Answer:
        """The answer to a request; `path` is relative to the connection's address, or whole (a next link).

        Args:
            repeatable: asking it twice does no harm, though the method is not GET.

        Raises:
            Problem: it cannot be reached, may not be, or answers with an error.
        """
        url = self._url(path, query)
        kept = self.keep / xxhash.xxh3_128(json.dumps([method, str(url), headers, body]).encode()).hexdigest()
        about = kept.with_suffix(".about")
        if about.exists():
            with suppress(ValueError, KeyError, TypeError):  # damaged: it is asked for anew
                known = json.loads(about.read_text())
                return Answer(Path(known["file"]), known["headers"], known["url"])
        response = self._patiently(method, url, headers or {}, body, repeatable or method == "GET")
        file = kept.with_suffix(_suffix(response))
        file.write_bytes(response.content)
        known = {"file": str(file), "headers": dict(response.headers), "url": str(url)}
        beside = kept.with_name(f".{uuid.uuid4().hex}")
        beside.write_text(json.dumps(known))
        beside.replace(about)
        return Answer(file, known["headers"], str(url))

    def send(self, method: str, path: str, headers: dict[str, str], body: str) -> None:
        """Send something, once: it is tried again only where the service says that it did not take it.

        Raises:
            Problem: as for `ask`.
        """
        self._patiently(method, self._url(path), headers, body, repeatable=False)

    def _url(self, path: str, query: list[tuple[str, str]] | None = None) -> httpx.URL:
        known = self.connection.url
        base = known if known.endswith("/") or not path else f"{known}/"
        url = httpx.URL(urljoin(base, path if urlsplit(path).scheme else path.lstrip("/")))
        return url.copy_with(params=[*url.params.multi_items(), *query]) if query else url

    def _patiently(
        self, method: str, url: httpx.URL, headers: dict[str, str], body: str, repeatable: bool
    ) -> httpx.Response:
        for turn in range(TRIES):
            self.outside.check()
            self._pace()
            wait = 0.5 * 2**turn
            try:
                response = self._once(method, url, headers, body)
            except httpx.TransportError as error:
                if turn == TRIES - 1 or not repeatable:
                    raise self._unreachable(url, error, turn + 1) from None
                self.outside.tell(f"{url.host} does not answer; trying again")
            else:
                if response.status_code not in _AGAIN or turn == TRIES - 1:
                    return self._good(response)
                wait = max(wait, _asked_to_wait(response))
                self.outside.tell(f"{url.host} is busy; trying again in {min(wait, _LONGEST_WAIT):.0f} s")
            self._sleep(min(wait, _LONGEST_WAIT))
        raise AssertionError("unreachable")

    def _once(self, method: str, url: httpx.URL, headers: dict[str, str], body: str) -> httpx.Response:
        """One request, redirects followed; the secret goes only to the host it is meant for."""
        for _ in range(6):
            request = self._client.build_request(
                method,
                self._signed_url(url),
                content=body.encode() or None,
                headers={"Accept": _ACCEPTED, **headers, **self._authorisation(url)},
            )
            response = self._client.send(request, stream=True)
            try:
                self._read(response)
            finally:
                response.close()
            if not response.is_redirect or method != "GET":
                return response
            url = url.join(response.headers.get("location", ""))
        raise Problem(str(url), "it redirects in a circle.", "See that the address is right.", code="web")

    def _read(self, response: httpx.Response) -> None:
        parts, size, started = [], 0, time.monotonic()
        for part in response.iter_bytes():
            self.outside.check()
            size += len(part)
            if size > MOST_BYTES:
                raise Problem(
                    str(response.url.copy_with(query=None)),
                    "its answer is larger than 512 MB.",
                    "Ask for it in pages.",
                    code="too_large",
                )
            if time.monotonic() - started > _LONGEST_ANSWER:
                raise Problem(
                    str(response.url.copy_with(query=None)),
                    "its answer did not come to an end in 15 minutes.",
                    "Ask for it in pages, or try again later.",
                    code="web",
                )
            parts.append(part)
        response._content = b"".join(parts)

    def _ours(self, url: httpx.URL) -> bool:
        own = httpx.URL(self.connection.url)
        return (url.scheme, url.host, url.port) == (own.scheme, own.host, own.port)

    def _authorisation(self, url: httpx.URL) -> dict[str, str]:
        known = self.connection
        if not self._ours(url):
            return {}
        match known.auth:
            case "basic":
                return {
                    "Authorization": "Basic "
                    + base64.b64encode(f"{known.user}:{known.secret}".encode()).decode()
                }
            case "bearer":
                return {"Authorization": f"Bearer {known.secret}"}
            case "key" if known.key_in == "header":
                return {known.key_name: known.secret}
            case _:
                return {}

    def _signed_url(self, url: httpx.URL) -> httpx.URL:
        known = self.connection
        if known.auth == "key" and known.key_in == "query" and self._ours(url):
            return url.copy_set_param(known.key_name, known.secret)
        return url

    def _pace(self) -> None:
        if self.connection.per_minute:
            due = self._last + 60 / self.connection.per_minute
            now = time.monotonic()
            if due > now:
                self._sleep(due - now)
            self._last = time.monotonic()

    def _good(self, response: httpx.Response) -> httpx.Response:
        if response.is_success:
            if _is_page(response):
                raise Problem(
                    str(response.url.copy_with(query=None)),
                    "it answered with a web page, not with data.",
                    "See that the address is the service's own and not that of a page about it.",
                    field="path",
                    code="web_page",
                )
            return response
        name, status = f"Connection “{self.connection.name}”", response.status_code
        if status in (401, 403):
            raise Problem(
                name,
                f"the service does not let us in (it answered {status}).",
                "See that the token, key or password is right.",
                field="connection",
                code="web_auth",
            )
        told = self.connection.concealed(response.text[:3000])
        text = self.connection.concealed(" ".join(told.split()))[:300]
        if status == 404:
            raise Problem(
                str(response.url.copy_with(query=None)),
                "the service has nothing there (it answered 404).",
                "See that the path is right.",
                field="path",
                code="web",
            )
        raise Problem(
            name,
            f"the service answered {status}{f': {text}' if text else ''}.",
            "Try again later, or see that the request is right.",
            code="web",
        )

    def _unreachable(self, url: httpx.URL, error: Exception, tries: int) -> Problem:
        what = (
            "it did not answer in time"
            if isinstance(error, httpx.TimeoutException)
            else f"it cannot be reached ({error})"
        )
        return Problem(
            f"{url.host}:{url.port or (443 if url.scheme == 'https' else 80)}",
            f"{what}, {tries} times." if tries > 1 else f"{what}.",
            "See that the address is right and the service runs.",
            field="connection",
            code="unreachable",
        )


def _is_page(response: httpx.Response) -> bool:
    kind = response.headers.get("content-type", "").split(";")[0].strip().lower()
    return kind in ("text/html", "application/xhtml+xml") or is_page(
        response.content[:200].decode("utf-8", "replace")
    )


def _asked_to_wait(response: httpx.Response) -> float:
    text = response.headers.get("retry-after", "")
    return float(text) if text.replace(".", "", 1).isdigit() else 0.0


def _suffix(response: httpx.Response) -> str:
    kind = response.headers.get("content-type", "").split(";")[0].strip()
    named = {"text/csv": ".csv", "application/xml": ".xml", "text/xml": ".xml"}.get(kind)
    return named or (".json" if "json" in kind else ".txt")
