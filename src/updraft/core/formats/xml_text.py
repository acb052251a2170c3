"""XML as nested data: an element is a dict of its attributes (@name), its children and its text (#text)."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from pathlib import Path
from typing import Any

from lxml import etree

from updraft.core.formats.options import Detected, Reading, ReadOptions
from updraft.core.formats.records import find_records, outline, table_of
from updraft.core.problems import Problem


def read(path: Path, options: ReadOptions) -> Reading:
    """Read the repeating element at `options.records`; see `records.table_of`.

    Raises:
        Problem: it is not well-formed (with the line), or the element is not there.
    """
    value = load(path)
    tree = outline(value)
    chosen, reason = (options.records, "as set") if options.records is not None else find_records(tree)
    filled = replace(options, format="xml", records=chosen)
    frame, said = table_of(value, filled, name=path.name)
    if not frame.height:
        said = [*said, "There is no record at this place."]
    reasons = {"format": "it begins as XML does", "records": reason}
    return Reading(frame, Detected("xml", filled, reasons, tree=tree), tuple(said))


def load(path: Path) -> dict[str, Any]:
    """The whole file as nested data. Entities are not resolved and nothing is fetched.

    An element that occurs several times in one parent anywhere in the file is a list everywhere. Names are without
    their namespace, unless two namespaces of the file use the same name; then they have their prefix.
    """
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True, remove_pis=True)
    try:
        root = etree.parse(str(path), parser).getroot()
    except etree.XMLSyntaxError as error:
        raise Problem(path.name, f"it is not well-formed XML at line {error.lineno or 1:,} ({str(error.msg).lower()}).",
                      "It may have been cut off on the way: ask for it again.", code="not_xml") from None
    names = _names(root)
    shape = _Shape()
    _learn(root, shape)
    return {names[root.tag]: _value(root, names, shape)}


class _Shape:
    """What is known of all elements at one place: which children they have, and which of them repeat in one parent."""

    __slots__ = ("children", "repeated")

    def __init__(self) -> None:
        self.children: dict[str, _Shape] = {}
        self.repeated: set[str] = set()


def _names(root: Any) -> dict[str, str]:
    """A short name for every tag and attribute, as it stands in the tree."""
    tags: dict[str, str | None] = {}
    for element in root.iter(etree.Element):
        tags.setdefault(element.tag, element.prefix)
        for name in element.attrib:
            tags.setdefault(name, next((p for p, uri in element.nsmap.items() if name.startswith(f"{{{uri}}}")), None))
    local = {tag: etree.QName(tag).localname for tag in tags}
    shared = Counter(local.values())
    return {tag: f"{prefix}:{local[tag]}" if prefix and shared[local[tag]] > 1 else local[tag] for tag, prefix in tags.items()}


def _learn(element: Any, shape: _Shape) -> None:
    seen: set[str] = set()
    for child in element:
        tag = child.tag
        if not isinstance(tag, str):
            continue  # an entity that is not resolved
        if tag in seen:
            shape.repeated.add(tag)
        seen.add(tag)
        inner = shape.children.get(tag)
        if inner is None:
            inner = shape.children[tag] = _Shape()
        if len(child):
            _learn(child, inner)


def _value(element: Any, names: dict[str, str], shape: _Shape) -> Any:
    found: dict[str, Any] = {f"@{names[key]}": value for key, value in element.attrib.items()} if element.attrib else {}
    text = element.text or ""
    for child in element:
        tag, inner = child.tag, None
        if not isinstance(tag, str):
            text += child.tail or ""
            continue
        if len(child) or child.attrib:
            inner = _value(child, names, shape.children[tag])
        elif child.text:
            inner = child.text.strip() or None
        if tag in shape.repeated:
            found.setdefault(names[tag], []).append(inner)
        else:
            found[names[tag]] = inner
        if child.tail:
            text += child.tail
    text = text.strip()
    if not found:
        return text or None
    if text:
        found["#text"] = text
    return found
