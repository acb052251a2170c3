"""What stands where in an XML file, and how often, without building a tree of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from lxml import etree

from updraft.core.formats.growing import MOST_COLUMNS
from updraft.core.formats.options import Node

_EXAMPLE = 60  # characters


class Place:
    """All elements that are reached by the same tags from the root."""

    __slots__ = (
        "attributes",
        "children",
        "count",
        "example",
        "members",
        "prefix",
        "records",
        "repeated",
        "tag",
        "texts",
    )

    def __init__(self, tag: str, prefix: str | None) -> None:
        self.tag, self.prefix = tag, prefix
        self.count = 0
        self.example = ""  # of their text, where they have nothing else
        self.records = False  # one of them has attributes or children
        self.children: dict[str, Place] = {}
        self.repeated: set[str] = set()  # children that occur several times in one of them
        self.attributes: dict[
            str, tuple[str | None, Node]
        ] = {}  # name → its prefix, how often and an example
        self.texts = Node("", "#text")  # text beside attributes or children
        self.members: dict[
            tuple[str, str], None
        ] = {}  # attributes and children in the order in which they came

    def gather(self, prefixes: dict[str, str | None]) -> None:
        """Every tag and attribute name from here on, with its prefix."""
        prefixes.setdefault(self.tag, self.prefix)
        for name, (prefix, _) in self.attributes.items():
            prefixes.setdefault(name, prefix)
        for child in self.children.values():
            child.gather(prefixes)

    def node(self, names: dict[str, str]) -> Node:
        """The picture of the file whose root this is."""
        tree = Node("", "", "record", 1, (names[self.tag],))
        self._into(tree, "", names, repeated=False)
        return tree

    def _into(self, parent: Node, path: str, names: dict[str, str], *, repeated: bool) -> None:
        name = names[self.tag]
        node = parent.children[name] = Node(
            f"{path}/{name}",
            name,
            "list" if repeated else "record" if self.records else "value",
            self.count,
            example=self.example,
        )
        inside = f"{node.path}/*" if repeated else node.path
        for sort, member in self.members:
            if len(node.children) > MOST_COLUMNS:
                break
            if sort == "child":
                self.children[member]._into(node, inside, names, repeated=member in self.repeated)
                continue
            title, told = (
                ("#text", self.texts) if sort == "text" else (f"@{names[member]}", self.attributes[member][1])
            )
            node.children[title] = Node(f"{inside}/{title}", title, "value", told.count, example=told.example)
        node.fields = tuple(node.children)


def survey(path: Path) -> Place:
    """Go through a file once. Entities are not resolved and nothing is fetched.

    Raises:
        etree.XMLSyntaxError: it is not well-formed.
    """
    target = _Target()
    parser = etree.XMLParser(
        target=target,
        resolve_entities=False,
        no_network=True,
        load_dtd=False,
        remove_comments=True,
        remove_pis=True,
    )
    etree.parse(str(path), parser)
    assert target.root is not None
    return target.root


class _Target:
    """Takes what the parser meets. A frame holds an element's place, its text, the children seen in it, and
    whether it has members.
    """

    def __init__(self) -> None:
        self.root: Place | None = None
        self._open: list[list[Any]] = []
        self._prefixes: dict[str, str | None] = {}

    def start(self, tag: str, attributes: Any, namespaces: Any) -> None:
        for prefix, uri in namespaces.items():
            self._prefixes.setdefault(uri, prefix)
        if self._open:
            frame = self._open[-1]
            above, seen = frame[0], frame[2]
            frame[3] = True
            place = above.children.get(tag)
            if place is None:
                place = above.children[tag] = Place(tag, self._prefix(tag))
                above.members["child", tag] = None
            if tag in seen:
                above.repeated.add(tag)
            seen.add(tag)
        else:
            place = self.root = self.root or Place(tag, self._prefix(tag))
        place.count += 1
        for name, value in attributes.items():
            if name not in place.attributes:
                place.attributes[name] = (self._prefix(name), Node("", name))
                place.members["attribute", name] = None
            told = place.attributes[name][1]
            told.count += 1
            told.example = (
                told.example or value.replace("&#38;", "&")[:_EXAMPLE]
            )  # so the parser gives it when it resolves nothing
        self._open.append([place, [], set(), bool(attributes)])

    def data(self, text: str) -> None:
        self._open[-1][1].append(text)

    def end(self, tag: str) -> None:
        place, pieces, _, members = self._open.pop()
        text = "".join(pieces).strip()
        if members:
            place.records = True
            if text:
                place.members["text", ""] = None
                place.texts.count += 1
                place.texts.example = place.texts.example or text[:_EXAMPLE]
        elif text and not place.example:
            place.example = text[:_EXAMPLE]

    def close(self) -> None:
        return None

    def _prefix(self, tag: str) -> str | None:
        return self._prefixes.get(tag[1:].split("}")[0]) if tag.startswith("{") else None
