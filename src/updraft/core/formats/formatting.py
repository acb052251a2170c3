"""How cells of an xlsx workbook look: fill colours, bold, strike-through and comments, read from its parts.

Only the sheet that is asked for is gone through, once for each content of the file.
"""

from __future__ import annotations

import posixpath
import re
import zipfile
from functools import lru_cache
from pathlib import Path

from lxml import etree

_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_RELATION = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
Looks = dict[str, dict[tuple[int, int], str]]  # what → (row, column), from 0 → the text that says it


@lru_cache(64)
def formatting(path: Path, changed: int, sheet: str) -> Looks:
    """What is said of the cells of a sheet that have a fill, are bold or struck through, or have a comment.

    A fill colour comes as #rrggbb, or the colour's number in the theme; bold and strike-through as "yes".

    Args:
        changed: a mark that changes with the file, such as its time.
    """
    with zipfile.ZipFile(path) as book:
        part = part_of(book, sheet)
        if part is None or part not in book.namelist():
            return {}
        styles = _styles(book)
        found: Looks = {"fill": {}, "bold": {}, "strike": {}, "comment": _comments(book, part)}
        with book.open(part) as cells:
            wanted = (f"{_MAIN}c", f"{_MAIN}row")
            for _, element in etree.iterparse(cells, tag=wanted, resolve_entities=False, no_network=True):
                if element.tag == wanted[1]:
                    element.clear()
                    continue
                looks = styles.get(element.get("s") or "0")
                if looks and (reference := element.get("r")):
                    place = place_of(reference)
                    for what, text in looks.items():
                        found[what][place] = text
    return found


def _styles(book: zipfile.ZipFile) -> dict[str, dict[str, str]]:
    """What each style of the workbook says: its number, as cells name it, → what → text."""
    if "xl/styles.xml" not in book.namelist():
        return {}
    root = _parsed(book, "xl/styles.xml")
    fills = [_colour(one) for one in root.iterfind(f"{_MAIN}fills/{_MAIN}fill")]
    fonts = [
        {what: "yes" for what, tag in (("bold", "b"), ("strike", "strike")) if _on(one, tag)}
        for one in root.iterfind(f"{_MAIN}fonts/{_MAIN}font")
    ]
    styles: dict[str, dict[str, str]] = {}
    for number, style in enumerate(root.iterfind(f"{_MAIN}cellXfs/{_MAIN}xf")):
        fill, font = int(style.get("fillId") or 0), int(style.get("fontId") or 0)
        looks = dict(fonts[font]) if font < len(fonts) else {}
        if fill < len(fills) and (colour := fills[fill]):
            looks["fill"] = colour
        styles[str(number)] = looks
    return styles


def _colour(fill: etree._Element) -> str | None:
    pattern = fill.find(f"{_MAIN}patternFill")
    if pattern is None or pattern.get("patternType") in (None, "none"):
        return None
    colour = pattern.find(f"{_MAIN}fgColor")
    if colour is None:
        return "#000000"
    for kind in ("theme", "indexed"):
        if (number := colour.get(kind)) is not None:
            return f"{kind} {number}"
    return f"#{(colour.get('rgb') or '000000')[-6:].lower()}"


def _on(font: etree._Element, tag: str) -> bool:
    found = font.find(f"{_MAIN}{tag}")
    return found is not None and found.get("val") not in ("0", "false")


def _comments(book: zipfile.ZipFile, part: str) -> dict[tuple[int, int], str]:
    relations = posixpath.join(posixpath.dirname(part), "_rels", f"{posixpath.basename(part)}.rels")
    if relations not in book.namelist():
        return {}
    found: dict[tuple[int, int], str] = {}
    for relation in _parsed(book, relations):
        if not str(relation.get("Type")).endswith("/comments"):
            continue
        # A target is meant from the part's folder, or from the top where it begins with a slash.
        name = posixpath.normpath(posixpath.join("/", posixpath.dirname(part), str(relation.get("Target"))))
        name = name.lstrip("/")
        if name not in book.namelist():
            continue
        for comment in _parsed(book, name).iter(f"{_MAIN}comment"):
            text = "".join(one.text or "" for one in comment.iter(f"{_MAIN}t")).strip()
            if text and (reference := comment.get("ref")):
                found[place_of(reference)] = text
    return found


def _parsed(book: zipfile.ZipFile, name: str) -> etree._Element:
    return etree.fromstring(book.read(name), etree.XMLParser(resolve_entities=False, no_network=True))


def part_of(book: zipfile.ZipFile, sheet: str) -> str | None:
    """The name of the XML part that holds a sheet."""
    if "xl/workbook.xml" not in book.namelist():
        return None
    parser = etree.XMLParser(resolve_entities=False, no_network=True)
    root = etree.fromstring(book.read("xl/workbook.xml"), parser)
    wanted = next((s.get(_RELATION) for s in root.iter(f"{_MAIN}sheet") if s.get("name") == sheet), None)
    relations = etree.fromstring(book.read("xl/_rels/workbook.xml.rels"), parser)
    target = next((r.get("Target") for r in relations if r.get("Id") == wanted), None)
    return posixpath.normpath(posixpath.join("xl", target)).lstrip("/") if target else None


def place_of(reference: str) -> tuple[int, int]:
    letters = re.match(r"[A-Z]+", reference)
    assert letters is not None
    return int(reference[letters.end() :]) - 1, column_of(letters.group())


def column_of(letters: str) -> int:
    number = 0
    for letter in letters.upper():
        number = number * 26 + ord(letter) - 64
    return number - 1
