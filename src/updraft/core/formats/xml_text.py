"""XML as nested data: an element is a dict of its attributes (@name), its children and its text (#text)."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

from lxml import etree

from updraft.core.formats.encoding import holds
from updraft.core.formats.learnt import Learnt, scanned
from updraft.core.formats.options import Detected, Reading, ReadOptions, Scan
from updraft.core.formats.records import Streamed, find_records, rows_of, table_of
from updraft.core.formats.xml_survey import Place, survey
from updraft.core.problems import Problem

_LARGE = 4 << 20  # bytes; the repeating elements of a larger file stay in it
_FEW = 8  # elements that repeat so seldom are no table; one deeper inside them may be
_ENCODING = re.compile(rb"""encoding\s*=\s*["']([^"']*)["']""")
_NUMBERS = re.compile(rb"&#x?[0-9a-fA-F]{1,8};&#")

_LIMITS = {
    "too long": "a text in it is longer than 10 MB",
    "excessive depth": "it is nested more than 256 deep",
    "amplification": "its entities grow beyond measure",
    "entity nesting": "its entities grow beyond measure",
}


def read(path: Path, options: ReadOptions) -> Reading:
    """Read the repeating element at `options.records`; see `records.table_of`.

    Raises:
        Problem: it is not well-formed (with the line), or the element is not there.
    """
    with _telling(path):
        value, found = _found(path, options)
        frame, said = table_of(value, found.options, name=path.name)
    if not frame.height:
        said = [*said, "There is no record at this place."]
    return Reading(frame, found, tuple(said))


def scan(path: Path, options: ReadOptions, columns: frozenset[str] | None = None) -> Scan | None:
    """The repeating elements of a large file in UTF-8 part by part, as `read` reads them; None for any other
    file.

    Args:
        columns: those that are needed.

    Raises:
        Problem: as `read`.
    """
    if path.stat().st_size < _LARGE or options.long or _may_hold_broken_text(path):
        return None
    with _telling(path):
        value, found = _found(path, options)
        rows = Learnt(lambda: rows_of(value, found.options, name=path.name))
    made = scanned(rows, found, columns)
    return made and replace(made, detected=replace(made.detected, tree=None))


def _may_hold_broken_text(path: Path) -> bool:
    """Whether it is in another encoding than UTF-8, or letters are told by their numbers in a row."""
    with path.open("rb") as file:
        start = file.read(200)
        said = _ENCODING.search(start)
        if (said and said[1].lower() != b"utf-8") or start.startswith((b"\xff\xfe", b"\xfe\xff")):
            return True
    return holds(path, _NUMBERS, 14)


def _found(path: Path, options: ReadOptions) -> tuple[dict[str, Any], Detected]:
    """The nested data, and how it is read."""
    root = survey(path)
    names = _names(root)
    tree = root.node(names)
    chosen, reason = (options.records, "as set") if options.records is not None else find_records(tree)
    filled = replace(options, format="xml", records=chosen)
    reasons = {"format": "it begins as XML does", "records": reason}
    return _load(path, root, names), Detected("xml", filled, reasons, tree=tree)


@contextmanager
def _telling(path: Path) -> Iterator[None]:
    """What the parser finds wrong, as a Problem."""
    try:
        yield
    except etree.XMLSyntaxError as error:
        limit = next((said for sign, said in _LIMITS.items() if sign in str(error.msg).lower()), None)
        if limit:
            raise Problem(
                path.name,
                f"{limit} (line {error.lineno or 1:,}).",
                "Ask for it in a simpler form.",
                code="not_xml",
            ) from None
        raise Problem(
            path.name,
            f"it is not well-formed XML at line {error.lineno or 1:,} ({str(error.msg).lower()}).",
            "It may have been cut off on the way: ask for it again.",
            code="not_xml",
        ) from None
    except OSError as error:  # so the parser says that bytes do not fit the encoding
        if error.errno:
            raise
        raise Problem(
            path.name,
            "some bytes do not fit its encoding.",
            "Ask for it again, or have its encoding mended.",
            code="not_xml",
        ) from None


def _names(root: Place) -> dict[str, str]:
    """A short name for every tag and attribute: without its namespace, unless two of the file use the same
    name.
    """
    prefixes: dict[str, str | None] = {}
    root.gather(prefixes)
    local = {tag: etree.QName(tag).localname for tag in prefixes}
    shared = Counter(local.values())
    return {
        tag: f"{prefix}:{local[tag]}" if prefix and shared[local[tag]] > 1 else local[tag]
        for tag, prefix in prefixes.items()
    }


def _load(path: Path, root: Place, names: dict[str, str]) -> dict[str, Any]:
    """The file as nested data, the repeating elements of a large one left in it. Nothing is fetched, no
    entity resolved.

    An element that occurs several times in one parent anywhere in the file is a list everywhere.
    """
    streamed = _streamed(root, (root.tag,)) if path.stat().st_size >= _LARGE else {}
    value = _Elements(path, streamed, names).whole(root) if streamed else _value(_parsed(path), root, names)
    return {names[root.tag]: value}


def _streamed(place: Place, at: tuple[str, ...]) -> dict[tuple[str, ...], Place]:
    """The outermost places whose elements repeat often, by the tags that lead to them."""
    found: dict[tuple[str, ...], Place] = {}
    for child in place.children.values():
        here = (*at, child.tag)
        if child.tag in place.repeated and child.count > _FEW:
            found[here] = child
        else:
            found |= _streamed(child, here)
    return found


def _parsed(path: Path) -> Any:
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True, remove_pis=True
    )
    return etree.parse(str(path), parser).getroot()


class _Elements:
    """Goes through a file and gives the elements of its streamed places, each let go when the next one
    comes.
    """

    def __init__(self, path: Path, places: dict[tuple[str, ...], Place], names: dict[str, str]) -> None:
        self.path, self.places, self.names = path, places, names

    def walk(self) -> Iterator[tuple[tuple[str, ...], Any]]:
        tags = {at[-1] for at in self.places}
        events = etree.iterparse(
            str(self.path),
            tag=tags,
            resolve_entities=False,
            no_network=True,
            load_dtd=False,
            remove_comments=True,
            remove_pis=True,
        )
        for _, element in events:
            at = _way(element)
            if at not in self.places:
                continue
            yield at, element
            element.clear(keep_tail=True)
            before = element.getprevious()
            if before is not None and before.tag == element.tag:
                _remove(before)
        self.root = events.root

    def whole(self, root: Place) -> Any:
        """The root element as nested data, with a list for each parent of streamed elements."""
        for _ in self.walk():
            pass
        return _value(self.root, root, self.names, self, (root.tag,), Counter())


class _XmlList(Streamed):
    """The elements at one place that stand in its n-th parent, counted from 0 over the file."""

    def __init__(self, elements: _Elements, at: tuple[str, ...], turn: int) -> None:
        self._elements, self._at, self._turn = elements, at, turn

    def __iter__(self) -> Iterator[Any]:
        place, names = self._elements.places[self._at], self._elements.names
        parent, turn = None, -1
        for at, element in self._elements.walk():
            if at != self._at:
                continue
            if element.getparent() is not parent:
                parent, turn = element.getparent(), turn + 1
                if turn > self._turn:
                    return
            if turn == self._turn:
                yield _value(element, place, names)


def _remove(element: Any) -> None:
    """Take an element out, and leave the text behind it where it was."""
    parent, before, text = element.getparent(), element.getprevious(), element.tail or ""
    parent.remove(element)
    if text.strip():
        if before is None:
            parent.text = (parent.text or "") + text
        else:
            before.tail = (before.tail or "") + text


def _way(element: Any) -> tuple[str, ...]:
    tags = [element.tag]
    while (element := element.getparent()) is not None:
        tags.append(element.tag)
    return tuple(reversed(tags))


def _value(
    element: Any,
    place: Place,
    names: dict[str, str],
    elements: _Elements | None = None,
    at: tuple[str, ...] = (),
    turns: Counter[tuple[str, ...]] | None = None,
) -> Any:
    found: dict[str, Any] = (
        {f"@{names[key]}": value for key, value in element.attrib.items()} if element.attrib else {}
    )
    text = element.text or ""
    for child in element:
        tag, inner = child.tag, None
        if not isinstance(tag, str):  # an entity that is not resolved
            text += child.tail or ""
            continue
        if child.tail:
            text += child.tail
        if elements and turns is not None and (here := (*at, tag)) in elements.places:
            if names[tag] not in found:
                found[names[tag]] = _XmlList(elements, here, turns[here])
                turns[here] += 1
            continue
        if len(child) or child.attrib:
            inner = _value(child, place.children[tag], names, elements, (*at, tag) if elements else (), turns)
        elif child.text:
            inner = child.text.strip() or None
        if tag in place.repeated:
            found.setdefault(names[tag], []).append(inner)
        else:
            found[names[tag]] = inner
    text = text.strip()
    if not found:
        return text or None
    if text:
        found["#text"] = text
    return found
