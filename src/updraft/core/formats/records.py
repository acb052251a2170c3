"""Nested data (from JSON or XML) as tables: find the records, flatten them, type the columns.

Nested data is plain Python: dicts, lists and single values. A path names a place in it by the rules of JSON
Pointer (RFC 6901), with `*` for every element of a list or every member of an object: /requests/*/lines.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

import polars as pl

from updraft.core.formats.growing import MOST_COLUMNS, Growing, text_of
from updraft.core.formats.options import Node, ReadOptions
from updraft.core.problems import Problem, nearest


class Streamed:
    """A list inside nested data that stays in its file: its elements are read one after another, whenever it
    is gone through.
    """

    def __iter__(self) -> Iterator[Any]:
        raise NotImplementedError


_MANY = (list, Streamed)
_NESTED = (dict, list, Streamed)


def outline(value: Any, path: str = "", name: str = "") -> Node:
    """The places of nested data, the elements of each list taken together."""
    node = Node(path, name)
    _outline(value, node)
    return node


def _outline(value: Any, node: Node) -> None:
    if isinstance(value, dict):
        if node.shape == "value":
            node.shape = "record"
        node.count += 1
        _members(value, node, node.path)
    elif isinstance(value, _MANY):
        node.shape = "list"
        inside = f"{node.path}/*"
        for element in value:
            node.count += 1
            if isinstance(element, dict):
                _members(element, node, inside)
            elif isinstance(element, _MANY):
                _outline(element, node.children.setdefault("*", Node(inside, "*")))
            elif not node.example and element is not None:
                node.example = str(element)[:60]
    else:
        node.count += 1
        if not node.example and value is not None:
            node.example = str(value)[:60]


def _members(value: dict[str, Any], node: Node, path: str) -> None:
    children = node.children
    for key, inner in value.items():
        child = children.get(key)
        if child is None:
            if len(children) > MOST_COLUMNS:
                break
            child = children[key] = Node(f"{path}/{_escaped(key)}", key)
            node.fields = tuple(children)
        if isinstance(inner, _NESTED):
            _outline(inner, child)
        else:  # most are single values, and there may be many
            child.count += 1
            if not child.example and inner is not None:
                child.example = str(inner)[:60]


def find_records(node: Node) -> tuple[str, str]:
    """The path of the list that most likely holds the records, and why.

    The nearest list of records to the top wins; of several equally near, the one with the most records.
    Records may also be the members of an object, each under its key, when these are alike. Data without
    either is one record.
    """
    level, top = [node], True
    while level:
        keyed = [n for n in level if _keyed(n, 3 if top else _MANY_KEYS)]
        if keyed and not any(n.shape == "list" and n.fields for n in level):
            best = max(keyed, key=lambda n: len(n.children))
            where = f"“{best.name}”" if best.name else "the whole file"
            return f"{best.path}/*", f"the {len(best.children):,} members of {where} have the same fields"
        lists = [n for n in level if n.shape == "list" and n.fields]
        if lists:
            best = max(lists, key=lambda n: (n.count, len(n.fields)))
            where = f"“{best.name}”" if best.name else "the whole file"
            return best.path, f"{where} is a list of {best.count:,} records with {len(best.fields)} fields"
        level, top = [child for n in level for child in n.children.values()], False
    if node.shape == "list":
        return "", f"the whole file is a list of {node.count:,} values"
    return "", "there is no list of records in it, so it is one record"


_MANY_MEMBERS = 20  # of an object, that need to share only few fields
_MANY_KEYS = 5  # members that an object within the data must have to be a list of records by their keys


def _keyed(node: Node, least: int) -> bool:
    """Whether the members of an object are records of one kind: each has half of all their fields or more, on
    the whole, and nothing else stands among them; of many members it is enough that they share few fields,
    one of them most.
    """
    members = list(node.children.values())
    if node.shape != "record" or len(members) < least or any(m.shape != "record" for m in members):
        return False
    fields: Counter[str] = Counter(name for member in members for name in member.fields)
    if not fields:
        return False
    few = len(members) >= _MANY_MEMBERS and len(fields) * 4 <= len(members)
    return sum(fields.values()) * 2 > len(members) * len(fields) or (
        few and max(fields.values()) * 2 >= len(members)
    )


def table_of(value: Any, options: ReadOptions, *, name: str) -> tuple[pl.DataFrame, list[str]]:
    """The records at `options.records` as a table; see `table_of_all`."""
    return table_of_all([value], options, name=name)


def table_of_all(pages: list[Any], options: ReadOptions, *, name: str) -> tuple[pl.DataFrame, list[str]]:
    """The records at `options.records` as a table, and sentences about what does not fit.

    Members of nested objects become columns `outer.inner`. Records that are nested in others carry the number
    of each record around them (`requests number`), and the fields of the nearest that `options.parent` names.

    Raises:
        Problem: nothing stands at the path.
    """
    if options.long:
        return _long(row for page in pages for row in _located(page, options.records or "", name)), []
    table = Growing()
    for page in pages:
        for row in rows_of(page, options, name=name):
            table.add(row)
    return table.table()


def rows_of(value: Any, options: ReadOptions, *, name: str) -> Iterator[dict[str, Any]]:
    """The rows that `table_of` makes a table of, but in long form. Raises Problem as it does."""
    for way, record in _located(value, options.records or "", name):
        row: dict[str, Any] = dict(way.keys if options.number else way.keys[:-1])
        row |= way.fields(options.parent)
        if isinstance(record, dict) and not any(isinstance(value, _NESTED) for value in record.values()):
            yield row | record if row else record  # most records are flat, and there may be many
            continue
        inner: dict[str, Any] = {}
        _flatten(record, "", inner)
        for part in _lists(inner, options.lists):
            yield row | part


def _member(record: dict[str, Any], name: str) -> Any:
    """A member of a record, or one of a record within it: `outer.inner`, as columns are called."""
    if name in record:
        return record[name]
    outer, dot, inner = name.partition(".")
    while dot:
        if isinstance(record.get(outer), dict):
            return _member(record[outer], inner)
        more, dot, inner = inner.partition(".")
        outer = f"{outer}.{more}"
    return None


def _whole(value: Any) -> Any:
    """A value without anything that is still in its file. What comes out of a streamed list is whole."""
    if isinstance(value, Streamed):
        return list(value)
    if isinstance(value, dict):
        return {key: _whole(inner) for key, inner in value.items()}
    return [_whole(inner) for inner in value] if isinstance(value, list) else value


@dataclass(frozen=True)
class _Way:
    """The way to a record: numbers of the lists it stands in, and the records around it by their paths."""

    keys: tuple[tuple[str, int | str], ...] = ()
    above: tuple[tuple[str, dict[str, Any]], ...] = ()
    nearest: tuple[str, dict[str, Any]] | None = None  # of a list, with the list's name

    def fields(self, wanted: Iterable[str]) -> dict[str, Any]:
        """Fields of what stands around a record: column → value.

        A name is that of a field of the nearest record of a list; a path leads to a field of any record on
        the way, which gives the column its name: `outer.inner`, or `inner` in the whole file.
        """
        found: dict[str, Any] = {}
        for name in wanted:
            if not name.startswith("/"):
                title = f"{self.nearest[0]}.{name}" if self.nearest else name
                found[title] = _whole(_member(self.nearest[1], name)) if self.nearest else None
                continue
            on_the_way = [one for one in self.above if name.startswith(f"{one[0]}/")]
            at, record = on_the_way[-1] if on_the_way else ("", {})
            inside = ".".join(map(_plain, name[len(at) + 1 :].split("/")))
            outer = next((part for part in reversed(at.split("/")) if part not in ("", "*")), "")
            found[f"{_plain(outer)}.{inside}" if outer else inside] = _whole(_member(record, inside))
        return found


def _plain(part: str) -> str:
    return part.replace("~1", "/").replace("~0", "~")


def _located(value: Any, path: str, file: str) -> Iterator[tuple[_Way, Any]]:
    """Every record at a path, with the way to it."""
    yield from _Walk(path, file).go(
        value, [*map(_plain, path.split("/")[1:]), "*"], "", "", _Way(), whole=False
    )


class _Walk:
    def __init__(self, path: str, file: str) -> None:
        self.path, self.file = path, file

    def go(
        self, value: Any, parts: list[str], name: str, here: str, way: _Way, *, whole: bool
    ) -> Iterator[tuple[_Way, Any]]:
        """The records below a value that stands at the path `here`, under a name."""
        if not parts:
            yield way, value if whole else _whole(value)
            return
        part, rest = parts[0], parts[1:]
        if part == "*":
            yield from self._each(value, rest, name, f"{here}/*", way, whole=whole)
        elif isinstance(value, dict) and part in value:
            inside = _Way(way.keys, (*way.above, (here, value)), way.nearest)
            yield from self.go(value[part], rest, part, f"{here}/{_escaped(part)}", inside, whole=whole)
        elif not way.keys:
            near = nearest(part, value) if isinstance(value, dict) else None
            raise Problem(
                f"Records at {self.path}",
                f"{self.file} has no “{part}” there" + (f"; there is “{near}”." if near else "."),
                "Choose the records in the picture of the file.",
                field="records",
                code="no_records",
            )

    def _each(
        self, value: Any, rest: list[str], name: str, here: str, way: _Way, *, whole: bool
    ) -> Iterator[tuple[_Way, Any]]:
        elements: Iterable[Any] | None = value if isinstance(value, _MANY) else None
        if elements is None:
            # What may repeat need not: a single value is a list of one, unless the path goes on below its
            # members.
            if isinstance(value, dict) and rest and rest[0] not in value:
                for key, element in value.items():
                    keyed = _Way((*way.keys, ("Key", key)), way.above, way.nearest)
                    yield from self.go(element, rest, name, here, keyed, whole=whole)
                return
            elements = [] if value is None else [value]
        title = f"{name or 'record'} number"
        whole = whole or isinstance(value, Streamed)
        for number, element in enumerate(elements, start=1):
            nearest_one = (name, element) if rest and isinstance(element, dict) else way.nearest
            inside = _Way((*way.keys, (title, number)), way.above, nearest_one)
            yield from self.go(element, rest, name, here, inside, whole=whole)


def _flatten(value: Any, prefix: str, row: dict[str, Any]) -> None:
    if isinstance(value, dict):
        for key, inner in value.items():
            title = (prefix if key == "#text" else f"{prefix}.{key}".strip(".")) if prefix else key
            if isinstance(inner, _NESTED):
                _flatten(inner, title, row)
            else:
                row[title or "Value"] = inner
        if not value and prefix:
            row[prefix] = None
    else:
        row[prefix or "Value"] = value


def _lists(row: dict[str, Any], way: str) -> list[dict[str, Any]]:
    """The row once, or once for every turn of its lists, which are taken side by side."""
    lists = [key for key, value in row.items() if isinstance(value, list)]
    if way == "leave_out":
        return [{key: value for key, value in row.items() if key not in lists}]
    if way != "expand" or not lists:
        return [row]
    rows = []
    for turn in range(max(1, *(len(row[key]) for key in lists))):
        one: dict[str, Any] = {}
        for key, value in row.items():
            if key not in lists:
                one[key] = value
            elif turn < len(value):
                _flatten(value[turn], key, one)
        rows.append(one)
    return rows


def _long(rows: Iterable[Any]) -> pl.DataFrame:
    """One row per single value: the record's number, where the value stands in it, and the value."""
    table = Growing()

    def visit(number: int, value: Any, path: str) -> None:
        if isinstance(value, dict):
            for key, inner in value.items():
                visit(number, inner, path if key == "#text" else f"{path}/{_escaped(key)}")
        elif isinstance(value, _MANY):
            for place, inner in enumerate(value, start=1):
                visit(number, inner, f"{path}/{place}")
        else:
            where, at, attribute = path.rpartition("/@")
            table.add(
                {
                    "Record": number,
                    "Path": (where if at else path) or "/",
                    "Attribute": attribute if at else None,
                    "Value": text_of(value),
                }
            )

    for number, (_, record) in enumerate(rows, start=1):
        visit(number, record, "")
    schema = {"Record": pl.Int64, "Path": pl.String, "Attribute": pl.String, "Value": pl.String}
    found, _ = table.table()
    return found.cast(schema) if found.width else pl.DataFrame(schema=schema)  # type: ignore[arg-type]


def _escaped(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")
