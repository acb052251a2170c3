"""A formula's text as a tree: what it names, and what is said of one that cannot be read."""

from __future__ import annotations

import ast
import re

from updraft.core.formula.other_words import said_here
from updraft.core.formula.registry import of_other_rows
from updraft.core.formula.terms import FormulaError

_STANDS_FOR = "\u16dc"  # a letter that no formula is likely to hold
MOST_CHARACTERS, MOST_PARTS, MOST_DEPTH = 5_000, 1_000, 60


def names_in(text: str) -> tuple[frozenset[str] | None, frozenset[str]]:
    """Columns that a formula may read, and parameters that it uses; None for columns that only a table tells
    (a name with _ may be written otherwise there). A formula that cannot be read uses nothing.
    """
    try:
        tree, names = parsed(text)
    except FormulaError:
        return frozenset(), frozenset()
    columns, parameters, sure = set(), set(), True
    called = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and id(node) not in called and node.id != "params":
            quoted = names.get(node.id)
            sure = sure and (quoted is not None or (node.id.isascii() and "_" not in node.id))
            columns.add(node.id if quoted is None else quoted)
        elif isinstance(node, ast.Attribute):
            parameters.add(node.attr)
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "columns":
            sure = False
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "column":
            columns |= {str(arg.value) for arg in node.args if isinstance(arg, ast.Constant)}
    return (frozenset(columns) if sure else None), frozenset(parameters)


def grouped_by(text: str) -> frozenset[str] | None:
    """Columns by which every part of a formula that looks at other rows groups them; None where one looks at
    all rows, or groups them by more than columns.
    """
    try:
        tree, names = parsed(text)
    except FormulaError:
        return None
    found: frozenset[str] | None = None
    for node in ast.walk(tree):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name):
            continue
        if not of_other_rows(f"{node.func.id}("):
            continue
        by = next((word.value for word in node.keywords if word.arg == "by"), None)
        parts = by.elts if isinstance(by, ast.List | ast.Tuple) else [by]
        if not all(isinstance(part, ast.Name) for part in parts):
            return None
        columns = frozenset(names.get(part.id, part.id) for part in parts if isinstance(part, ast.Name))
        found = columns if found is None else found & columns
    return found


def parsed(text: str) -> tuple[ast.expr, dict[str, str]]:
    """The tree of a formula, and the names that stood in backticks by the words that stand for them in it."""
    if not text.strip():
        raise FormulaError("The formula", "there is none yet.", "Type one, such as round(price * 2, 1).")
    if len(text) > MOST_CHARACTERS:
        raise FormulaError(
            "The formula",
            f"it has {len(text):,} characters; {MOST_CHARACTERS:,} are the most.",
            "Make it several formulas, each with a column of its own.",
        )
    if _deepest(text) > MOST_DEPTH:
        raise _too_deep()
    source, names = unquoted(text)
    try:
        tree = ast.parse(f"({source}\n)", mode="eval").body
    except SyntaxError as error:
        line, offset = (error.lineno or 1) - 1, (error.offset or 1) - 1
        lines = text.split("\n")
        here = sum(len(one) + 1 for one in lines[:line]) + offset - (1 if line == 0 else 0)
        place = min(max(here, 0), max(len(text) - 1, 0))
        raise _unreadable(text, place, error.msg) from None
    except (ValueError, RecursionError, MemoryError):
        raise FormulaError("The formula", "it cannot be read.", "Type it anew, in parts.") from None
    if sum(1 for _ in ast.walk(tree)) > MOST_PARTS:
        raise FormulaError(
            "The formula", f"it has more than {MOST_PARTS:,} parts.", "Make it several formulas."
        )
    if _depth(tree) > MOST_DEPTH:
        raise _too_deep()
    return tree, names


def unquoted(text: str) -> tuple[str, dict[str, str]]:
    """The formula with a word in place of each name in backticks, as long as that, so that places stay."""
    found: dict[str, str] = {}
    parts, at, quote = [], 0, ""
    while at < len(text):
        sign = text[at]
        if quote:
            step = 2 if sign == "\\" else 1
            quote = "" if sign == quote else quote
        elif sign == "`":
            end = text.find("`", at + 1)
            if end < 0:
                raise FormulaError(
                    "The formula", "a name in backticks is not closed.", "Add the ` that is missing.", at
                )
            word = f"{_STANDS_FOR}{len(found)}".ljust(end + 1 - at, _STANDS_FOR)
            found[word] = text[at + 1 : end]
            parts.append(word)
            at = end + 1
            continue
        else:
            step = 1
            quote = sign if sign in "'\"" else ""
        parts.append(text[at : at + step])
        at += step
    return "".join(parts), found


def _too_deep() -> FormulaError:
    return FormulaError(
        "The formula",
        f"its parts stand more than {MOST_DEPTH} deep in each other.",
        "Make it several formulas, each with a column of its own.",
    )


def _unreadable(text: str, place: int, message: str) -> FormulaError:
    near = text[place : place + 12].split("\n")[0].strip()
    if (
        "never closed" in message
        or "unexpected EOF" in message
        or (near == "" and text.count("(") > text.count(")"))
    ):
        return FormulaError("The formula", "a bracket is not closed.", "Add the ) that is missing.", place)
    if "unterminated string" in message:
        return FormulaError("The formula", "a quote is not closed.", "Add the quote that is missing.", place)
    if text.lstrip().startswith("="):
        return FormulaError("The formula", "it begins with =.", "Begin with what follows it.", place)
    if re.search(r"(?<![=<>!])=(?!=)", text) and ("==" in message or "assign" in message or "=" in near):
        return FormulaError("The formula", "one = gives a value a name.", "Write == to compare.", place)
    if told := _from_elsewhere(text):
        return FormulaError("The formula", *told, place)
    said = f"at character {place + 1}, near “{near}”" if near else f"at character {place + 1}"
    return FormulaError(
        "The formula",
        f"it cannot be read {said}.",
        "A name that is no plain word stands in backticks: `its name`.",
        place,
    )


def _from_elsewhere(text: str) -> tuple[str, str] | None:
    """What is written as spreadsheets and databases have it, and how it is written here."""
    bare = re.sub(r"'[^']*'|\"[^\"]*\"|`[^`]*`", "_", text)
    if called := re.search(r"(?i)\b(if|and|or|not|case)\s*\(", bare):
        word = called[1].lower()
        return f"{word} is no function here.", said_here(word)
    if ";" in bare:
        return "it has a semicolon.", "Divide what stands in brackets by commas."
    if "<>" in bare:
        return "it has <>.", "Write != for “is not equal”."
    if capital := re.search(r"\b(AND|OR|NOT|IN|IF|ELSE)\b", bare):
        return f"{capital[1]} is written small here.", f"Write {capital[1].lower()}."
    return None


def no_formula(node: ast.AST) -> tuple[str, str]:
    """Why a piece of Python is none, and how it is written."""
    if isinstance(node, ast.Tuple):
        return (
            "a comma stands between two values.",
            "The decimal sign is a point, and thousands have none: 1000.5.",
        )
    if isinstance(node, ast.List) and len(node.elts) == 1 and isinstance(node.elts[0], ast.Name):
        name = node.elts[0].id
        return "names of columns stand in no brackets.", f"Write {name}, or in backticks: `{name}`."
    return "formulas do not have this.", "Use columns, values, functions and + - * / only."


def _deepest(text: str) -> int:
    depth = deepest = 0
    for sign in text:
        depth += (sign in "([{") - (sign in ")]}")
        deepest = max(deepest, depth)
    return deepest


def _depth(tree: ast.AST) -> int:
    level, deep = [tree], 0
    while level:
        deep += 1
        level = [child for node in level for child in ast.iter_child_nodes(node)]
    return deep
