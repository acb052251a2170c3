"""Nested data (from JSON or XML) as tables: find the records, flatten them, type the columns.

Nested data is plain Python: dicts, lists and single values. A path names a place in it by the rules of JSON Pointer
(RFC 6901), with `*` for every element of a list or every member of an object: /requests/*/lines.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import polars as pl

from updraft.core.formats.options import Node, ReadOptions
from updraft.core.problems import Problem, nearest

_MOST_COLUMNS = 5000
_BIG = 2**63


def outline(value: Any, path: str = "", name: str = "") -> Node:
    """The places of nested data, the elements of each list taken together."""
    node = Node(path, name)
    _outline(value, node)
    return node


def _outline(value: Any, node: Node) -> None:
    if isinstance(value, list):
        node.shape = "list"
        node.count += len(value)
        for element in value:
            if isinstance(element, dict):
                _members(element, node, f"{node.path}/*")
            elif isinstance(element, list):
                _outline(element, node.children.setdefault("*", Node(f"{node.path}/*", "*")))
            elif not node.example and element is not None:
                node.example = str(element)[:60]
    elif isinstance(value, dict):
        if node.shape == "value":
            node.shape = "record"
        node.count += 1
        _members(value, node, node.path)
    else:
        node.count += 1
        if not node.example and value is not None:
            node.example = str(value)[:60]


def _members(value: dict[str, Any], node: Node, path: str) -> None:
    for key, inner in value.items():
        if key not in node.children:
            if len(node.children) > _MOST_COLUMNS:
                break
            node.children[key] = Node(f"{path}/{_escaped(key)}", key)
        _outline(inner, node.children[key])
    node.fields = tuple(node.children)


def find_records(node: Node) -> tuple[str, str]:
    """The path of the list that most likely holds the records, and why.

    The nearest list of records to the top wins; of several equally near, the one with the most records. Data
    without such a list is one record, or one record for each member when its members are alike.
    """
    level = [node]
    while level:
        lists = [n for n in level if n.shape == "list" and n.fields]
        if lists:
            best = max(lists, key=lambda n: (n.count, len(n.fields)))
            where = f"“{best.name}”" if best.name else "the whole file"
            return best.path, f"{where} is a list of {best.count:,} records with {len(best.fields)} fields"
        level = [child for n in level for child in n.children.values()]
    members = list(node.children.values())
    if node.shape == "record" and len(members) > 2 and all(m.shape == "record" for m in members):
        shared = set.intersection(*(set(m.fields) for m in members))
        if len(shared) * 2 > len(set().union(*(m.fields for m in members))):
            return "/*", f"its {len(members):,} members have the same fields"
    if node.shape == "list":
        return "", f"the whole file is a list of {node.count:,} values"
    return "", "there is no list of records in it, so it is one record"


def table_of(value: Any, options: ReadOptions, *, name: str) -> tuple[pl.DataFrame, list[str]]:
    """The records at `options.records` as a table; see `table_of_all`."""
    return table_of_all([value], options, name=name)


def table_of_all(pages: list[Any], options: ReadOptions, *, name: str) -> tuple[pl.DataFrame, list[str]]:
    """The records at `options.records` as a table, and sentences about what does not fit.

    Members of nested objects become columns `outer.inner`. Records that are nested in others carry the number of each
    record around them (`requests number`), and the fields of the nearest that `options.parent` names.

    Raises:
        Problem: nothing stands at the path.
    """
    rows = [row for page in pages for row in _located(page, options.records or "", name)]
    if options.long:
        return _long(rows), []
    flat: list[dict[str, Any]] = []
    for keys, around, record in rows:
        row: dict[str, Any] = dict(keys) if options.number else dict(keys[:-1])
        for wanted in options.parent:
            row[f"{around[0]}.{wanted}" if around else wanted] = around[1].get(wanted) if around else None
        if isinstance(record, dict) and not any(isinstance(value, dict | list) for value in record.values()):
            flat.append(row | record if row else record)  # most records are flat, and there may be many
            continue
        inner: dict[str, Any] = {}
        _flatten(record, "", inner)
        flat += [row | part for part in _lists(inner, options.lists)]
    return _frame(flat)


Keys = list[tuple[str, int | str]]
Around = tuple[str, dict[str, Any]] | None


def _located(value: Any, path: str, file: str) -> Iterator[tuple[Keys, Around, Any]]:
    """Every record at a path, with the numbers of the lists it stands in and the record around it."""
    parts = [part.replace("~1", "/").replace("~0", "~") for part in path.split("/")[1:]]
    parts.append("*")
    yield from _walk(value, parts, "", [], None, path, file)


def _walk(value: Any, parts: list[str], name: str, keys: Keys, around: Around, path: str, file: str) -> Iterator[Any]:
    if not parts:
        yield keys, around, value
        return
    part, rest = parts[0], parts[1:]
    if part == "*":
        elements = value if isinstance(value, list) else None
        if elements is None:
            # What may repeat need not: a single value is a list of one, unless the path goes on below its members.
            if isinstance(value, dict) and rest and rest[0] not in value:
                for key, element in value.items():
                    yield from _walk(element, rest, name, [*keys, ("Key", key)], around, path, file)
                return
            elements = [] if value is None else [value]
        title = f"{name or 'record'} number"
        for number, element in enumerate(elements, start=1):
            inside = (name, element) if rest and isinstance(element, dict) else around
            yield from _walk(element, rest, name, [*keys, (title, number)], inside, path, file)
    elif isinstance(value, dict) and part in value:
        yield from _walk(value[part], rest, part, keys, around, path, file)
    elif not keys:
        near = nearest(part, value) if isinstance(value, dict) else None
        raise Problem(f"Records at {path}", f"{file} has no “{part}” there" + (f"; there is “{near}”." if near else "."),
                      "Choose the records in the picture of the file.", field="records", code="no_records")


def _flatten(value: Any, prefix: str, row: dict[str, Any]) -> None:
    if isinstance(value, dict):
        for key, inner in value.items():
            title = "" if key == "#text" and prefix else key
            _flatten(inner, f"{prefix}.{title}".strip(".") if prefix else title, row)
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


def _frame(rows: list[dict[str, Any]]) -> tuple[pl.DataFrame, list[str]]:
    names: dict[str, None] = {}
    for row in rows:
        if row.keys() - names.keys():
            names.update(dict.fromkeys(row))
    if len(names) > _MOST_COLUMNS:
        raise Problem("The records", f"they have {len(names):,} different fields.",
                      "Choose records deeper inside, or read them in long form.", field="records", code="too_wide")
    said: list[str] = []
    columns = [_column(name, [row.get(name) for row in rows], said) for name in names]
    return pl.DataFrame(columns), said


def _column(name: str, values: list[Any], said: list[str]) -> pl.Series:
    types = {type(value) for value in values} - {type(None)}
    if types <= {bool}:
        return pl.Series(name, values, dtype=pl.Boolean if types else pl.String)
    if types == {int} and all(v is None or -_BIG <= v < _BIG for v in values):
        return pl.Series(name, values, dtype=pl.Int64)
    if types <= {int, float} and all(not isinstance(v, int) or abs(v) < 2**53 for v in values):
        return pl.Series(name, values, dtype=pl.Float64, strict=False)
    if types == {list}:
        return pl.Series(name, [v if v is None else [_text(e) for e in v] for v in values], dtype=pl.List(pl.String))
    if len(types) > 1:
        said.append(f"“{name}” holds {' and '.join(sorted({_TYPES.get(t, 'values') for t in types}))}; all of it is text.")
    texts = [_text(v) for v in values]
    return pl.Series(name, [t if t != "" else None for t in texts], dtype=pl.String)


_TYPES = {bool: "yes/no", int: "numbers", float: "numbers", str: "texts", list: "lists", dict: "records"}


def _text(value: Any) -> str | None:
    if value is None or isinstance(value, str):
        return value
    return json.dumps(value, ensure_ascii=False)


def _long(rows: list[Any]) -> pl.DataFrame:
    """One row per single value: the record's number, where the value stands in it, and the value."""
    found: list[tuple[int, str, str | None, str | None]] = []

    def visit(number: int, value: Any, path: str) -> None:
        if isinstance(value, dict):
            for key, inner in value.items():
                visit(number, inner, path if key == "#text" else f"{path}/{_escaped(key)}")
        elif isinstance(value, list):
            for place, inner in enumerate(value, start=1):
                visit(number, inner, f"{path}/{place}")
        else:
            where, at, attribute = path.rpartition("/@")
            found.append((number, (where if at else path) or "/", attribute if at else None, _text(value)))

    for number, (_, _, record) in enumerate(rows, start=1):
        visit(number, record, "")
    schema = {"Record": pl.Int64, "Path": pl.String, "Attribute": pl.String, "Value": pl.String}
    return pl.DataFrame(found, schema=schema, orient="row")


def _escaped(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")
