"""Follow the pages of an answer: by page number, offset, cursor or next link."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from updraft.core.connect.service import Answer, Service
from updraft.core.problems import Problem


@dataclass(frozen=True)
class Paging:
    """How the pages of a list are asked for.

    Args:
        way: none; page (a number that counts up from `start`); offset (records to leave out); cursor (the
            answer says what to send for the next page); link (the answer says where the next page is).
        name: the query parameter that the page, offset or cursor is sent as.
        size_name, size: the parameter for how many records a page holds, and how many; an empty name sends
            none.
        at: where in the answer the cursor or the link stands, a path such as /meta/next; for a link, empty
            means the header Link with rel="next".
        most: pages at most; one more would be a problem and not a silent end.
    """

    way: Literal["none", "page", "offset", "cursor", "link"] = "none"
    name: str = "page"
    size_name: str = ""
    size: int = 100
    start: int = 1
    at: str = ""
    most: int = 1000


def pages(
    service: Service,
    paging: Paging,
    path: str,
    query: list[tuple[str, str]],
    *,
    records: str | None = None,
    method: str = "GET",
    headers: dict[str, str] | None = None,
    body: str = "",
) -> Iterator[Answer]:
    """The answers, page after page, until one holds no records or names no next page.

    Args:
        records: where in an answer the list of records is; None finds the longest one.
    """
    sized = (
        [*query, (paging.size_name, str(paging.size))] if paging.size_name and paging.way != "none" else query
    )
    place = paging.start if paging.way == "page" else 0
    named: set[str] = set()
    sent: list[tuple[str, str]] = [(paging.name, str(place))] if paging.way in ("page", "offset") else []
    for number in range(1, paging.most + 1):
        answer = service.ask(path, [*sized, *sent], method=method, headers=headers, body=body)
        if paging.way == "none":
            yield answer
            return
        service.outside.tell(f"page {number:,} has come")
        content = None if paging.way == "link" and not paging.at else answer.json()
        many = _many(content, records) if paging.way in ("page", "offset") else 1
        if not many and number > 1:
            return
        yield answer
        if paging.way in ("page", "offset"):
            if not many or (paging.size_name and many < paging.size):
                return
            place += 1 if paging.way == "page" else many
            sent = [(paging.name, str(place))]
        elif paging.way == "cursor":
            cursor = found_at(content, paging.at)
            if cursor in (None, ""):
                return
            _not_again(str(cursor), number, named)
            sent = [(paging.name, str(cursor))]
        else:
            link = found_at(content, paging.at) if paging.at else _linked(answer)
            if not link:
                return
            _not_again(str(link), number, named)
            path, sized, sent = str(link), [], []
    raise Problem(
        "The pages",
        f"there are more than {paging.most:,} of them.",
        "Raise the limit, or ask for less.",
        field="most",
        code="too_many_pages",
    )


def _not_again(following: str, number: int, named: set[str]) -> None:
    if following in named:
        raise Problem(
            "The pages",
            f"page {number:,} names as the next one a page that was there before.",
            "See that the right place for the next page is chosen; otherwise the service is at fault.",
            field="at",
            code="pages_in_a_circle",
        )
    named.add(following)


def found_at(content: Any, path: str) -> Any:
    """What stands at a path such as /meta/next; None where nothing does. A name may hold dots
    (@odata.nextLink).
    """
    for part in path.split("/")[1:]:
        content = (
            content.get(part.replace("~1", "/").replace("~0", "~")) if isinstance(content, dict) else None
        )
    return content


def _linked(answer: Answer) -> str | None:
    found = re.search(r'<([^>]+)>\s*;[^,]*rel="?next"?', answer.headers.get("link", ""))
    return found.group(1) if found else None


def _many(content: Any, records: str | None) -> int:
    if records:
        content = found_at(content, records.split("/*")[0])  # of nested lists, the outermost is what is paged
    if isinstance(content, list):
        return len(content)
    if isinstance(content, dict):
        return max((len(value) for value in content.values() if isinstance(value, list)), default=0)
    return 0
