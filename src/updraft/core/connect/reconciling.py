"""Ask a reference by the Reconciliation Service API 0.2 (W3C Entity Reconciliation Community Group): which
thing a name means, and what it knows of things.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple, cast
from urllib.parse import urlencode

from updraft.core.connect.service import Service
from updraft.core.problems import Problem

_BATCH = 40  # names or things asked for at a time, where the reference does not say how many
_LARGEST = 500  # and at most, whatever it says
_FOR_ALL = {"stopped", "no_reference", "web_auth", "web_page"}  # problems that the next request has, too
_FORM = {"Content-Type": "application/x-www-form-urlencoded"}


class Term(NamedTuple):
    """A kind of thing, or a property, as a reference calls it."""

    id: str
    name: str


@dataclass(frozen=True)
class Candidate:
    """Something that a name may mean.

    Args:
        score: the larger the likelier; only candidates of one question can be compared.
        sure: the reference takes it to be the right one beyond doubt.
        about: a few words that tell it from others.
    """

    id: str
    name: str
    score: float
    sure: bool
    about: str


@dataclass(frozen=True)
class Query:
    """A name, the kind of thing it is of (empty for any), and what else is known: property → value."""

    text: str
    type: str = ""
    evidence: tuple[tuple[str, str], ...] = ()


class Reference:
    """A reference behind a service.

    Raises:
        Problem: what is at the address does not speak this language.
    """

    def __init__(self, service: Service) -> None:
        self._service = service
        self.about = self._object(service.ask().json())
        if "identifierSpace" not in self.about and "name" not in self.about:
            raise self._strange("it does not say what it is")

    @property
    def name(self) -> str:
        return str(self.about.get("name") or self._service.connection.name)

    def address(self, key: str) -> str:
        """Where a thing can be looked at; its identifier in the reference's space where that is not said."""
        view = self.about.get("view") or {}
        if isinstance(view, dict) and "{{id}}" in str(view.get("url", "")):
            return str(view["url"]).replace("{{id}}", key)
        return f"{self.about.get('identifierSpace', '')}{key}"

    def candidates(
        self, queries: Sequence[Query], needed: Sequence[bool] | None = None, most: int = 5
    ) -> list[list[Candidate] | Problem]:
        """For each query, in their order, what it may mean, the likeliest first; the problem of its request
        where that failed twice, once at its turn and once after all others.

        Args:
            needed: of which queries it matters; of the others nothing is told. Where answers are kept they
                are asked along with those beside them all the same: so a request stays the one whose answer
                is kept, whichever of its names somebody decides meanwhile.

        Raises:
            Problem: not one request was answered, or what answers is no reference.
        """
        mine = [place for place in range(len(queries)) if needed is None or needed[place]]
        if len(mine) < len(queries) and self._service.outside.answers is None:
            told = dict(
                zip(mine, self.candidates([queries[place] for place in mine], most=most), strict=True)
            )
            return [told.get(place, []) for place in range(len(queries))]
        size = self._size()
        batches = [slice(start, start + size) for start in range(0, len(queries), size)]
        asked = [batch for batch in batches if needed is None or any(needed[batch])]
        found: list[list[Candidate] | Problem] = [[] for _ in queries]
        for batch in asked:
            found[batch] = self._batch(queries[batch], most)
            self._service.outside.tell(f"{min(batch.stop, len(queries)):,} of {len(queries):,} names asked")
        failed = [batch for batch in asked if isinstance(found[batch.start], Problem)]
        none = len(failed) == len(asked)
        for batch in failed:
            self._service.outside.tell("asking again what was not answered")
            found[batch] = self._batch(queries[batch], most)
            if none and isinstance(found[batch.start], Problem):
                raise cast(Problem, found[batch.start])
            none = False
        return [one if needed is None or needed[place] else [] for place, one in enumerate(found)]

    def _size(self) -> int:
        """How many are asked for at a time: what the reference says it takes, else the usual."""
        said = self.about.get("batchSize")
        return min(said, _LARGEST) if isinstance(said, int) and said > 0 else _BATCH

    def _batch(self, part: Sequence[Query], most: int) -> Sequence[list[Candidate] | Problem]:
        asked = {f"q{n}": _asked(query, most) for n, query in enumerate(part)}
        try:
            answer = self._object(self._form("queries", asked))
        except Problem as problem:
            if problem.code in _FOR_ALL:
                raise
            return [problem] * len(part)
        results = []
        for key in asked:
            found = answer.get(key)
            listed = found.get("result") if isinstance(found, dict) else None
            if not isinstance(listed, list):
                raise self._strange("an answer is missing")
            results.append(sorted(map(self._candidate, listed), key=lambda one: -one.score))
        return results

    def types(self, texts: Sequence[str]) -> list[tuple[Term, int]]:
        """The kinds of things that names are likely of, the likeliest first, with how many names are; kinds
        that the reference has of its own after them.
        """
        counted: dict[Term, int] = {}
        asked = {f"q{n}": _asked(Query(text), 3) for n, text in enumerate(texts[:_BATCH])}
        answer = self._object(self._form("queries", asked)) if asked else {}
        for found in answer.values():
            results = found.get("result") if isinstance(found, dict) else None
            first = results[0] if isinstance(results, list) and results else None
            for term in _terms(first.get("type") if isinstance(first, dict) else None):
                counted[term] = counted.get(term, 0) + 1
        own = [term for term in _terms(self.about.get("defaultTypes")) if term not in counted]
        return [*sorted(counted.items(), key=lambda one: -one[1]), *((term, 0) for term in own)]

    def properties(self, kind: str = "") -> list[Term]:
        """What it knows of things of a kind; nothing where it does not say."""
        extend = self.about.get("extend")
        place = extend.get("propose_properties") if isinstance(extend, dict) else None
        if not isinstance(place, dict):
            return []
        url = f"{place.get('service_url', '')}{place.get('service_path', '')}"
        answer = self._object(self._service.ask(url, [("type", kind)] if kind else None).json())
        return _terms(answer.get("properties"))

    def extend(
        self, keys: Sequence[str], properties: Sequence[str]
    ) -> tuple[list[Term], dict[str, dict[str, list[str]]]]:
        """What is known of things: the properties with their names, and thing → property → its values."""
        rows: dict[str, dict[str, list[str]]] = {}
        meta: list[Term] = []
        for start in range(0, len(keys), _BATCH):
            part = list(keys[start : start + _BATCH])
            asked = {"ids": part, "properties": [{"id": name} for name in properties]}
            answer = self._object(self._form("extend", asked))
            meta = meta or _terms(answer.get("meta"))
            for key, known in self._object(answer.get("rows")).items():
                rows[key] = {name: list(_values(cells)) for name, cells in self._object(known).items()}
            self._service.outside.tell(f"{start + len(part):,} of {len(keys):,} asked for what is known")
        return meta, rows

    def _form(self, name: str, asked: Any) -> Any:
        body = urlencode({name: json.dumps(asked, ensure_ascii=False)})
        return self._service.ask(method="POST", headers=_FORM, body=body, repeatable=True).json()

    def _candidate(self, raw: Any) -> Candidate:
        if not isinstance(raw, dict) or "id" not in raw or "name" not in raw:
            raise self._strange("a candidate has no id or no name")
        kinds = ", ".join(term.name for term in _terms(raw.get("type")))
        about = " · ".join(filter(None, [kinds, str(raw.get("description") or "")]))
        score = raw.get("score")
        number = float(score) if isinstance(score, int | float) else 0.0
        return Candidate(str(raw["id"]), str(raw["name"]), number, raw.get("match") is True, about)

    def _object(self, found: Any) -> dict[str, Any]:
        if not isinstance(found, dict):
            raise self._strange("an answer is of another form")
        return found

    def _strange(self, what: str) -> Problem:
        return Problem(
            f"Connection “{self._service.connection.name}”",
            f"it does not answer as a reference does (Reconciliation Service API): {what}.",
            "See that the address is that of the reference's service.",
            field="connection",
            code="no_reference",
        )


def _asked(query: Query, most: int) -> dict[str, Any]:
    asked: dict[str, Any] = {"query": query.text, "limit": most}
    if query.type:
        asked["type"] = query.type
    if query.evidence:
        asked["properties"] = [{"pid": name, "v": value} for name, value in query.evidence]
    return asked


def _terms(raw: Any) -> list[Term]:
    """Terms written as {id, name}, or as the id alone."""
    found = []
    for one in raw if isinstance(raw, list) else []:
        if isinstance(one, dict) and "id" in one:
            found.append(Term(str(one["id"]), str(one.get("name") or one["id"])))
        elif isinstance(one, str):
            found.append(Term(one, one))
    return found


def _values(cells: Any) -> Iterable[str]:
    """The values of a property as text, whichever of the standard's forms they have."""
    for cell in cells if isinstance(cells, list) else []:
        if isinstance(cell, dict):
            for form in ("str", "name", "date", "float", "int", "bool", "id"):
                if cell.get(form) is not None:
                    yield str(cell[form])
                    break
