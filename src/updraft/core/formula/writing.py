"""Columns' names in formulas: how one is written, and a formula with other names in it."""

from __future__ import annotations

import ast
import keyword
import re
import unicodedata
from collections.abc import Mapping

from updraft.core.formula.compile import written_plainly
from updraft.core.formula.parsing import parsed, unquoted
from updraft.core.formula.registry import functions
from updraft.core.formula.terms import FormulaError


def written(name: str) -> str:
    """A column's name as a formula writes it."""
    # As the parser takes names: what it would read as another one (² as 2) is quoted, too.
    plain = (
        name.isidentifier() and not keyword.iskeyword(name) and name == unicodedata.normalize("NFKC", name)
    )
    if plain and name not in functions() and name != "params":
        return name
    return f"`{name}`" if not re.search(r"[`\n]", name) else f"column({quoted(name)})"


def quoted(text: str) -> str:
    """A text as a formula writes it."""
    escaped = text.replace("\\", "\\\\").replace("'", "\\'")
    return "'" + escaped.replace("\n", "\\n").replace("\t", "\\t") + "'"


def with_names(text: str, names: Mapping[str, str]) -> str:
    """A formula in which columns are called otherwise: old name → new one. One that cannot be read stays."""
    try:
        tree, in_ticks = parsed(text)
    except FormulaError:
        return text
    plainly = {written_plainly(old): old for old in names}
    called = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    source, _ = unquoted(text)  # as long as the formula, and what the parser's places are about
    spans: list[tuple[int, int, str]] = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and id(node) not in called and node.id != "params":
            ticked = in_ticks.get(node.id)
            old = ticked if ticked is not None else node.id if node.id in names else plainly.get(node.id)
            if old is not None and old in names:
                spans.append((*_span(source, node), written(names[old])))
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "column":
            for arg in node.args:
                if isinstance(arg, ast.Constant) and arg.value in names:
                    spans.append((*_span(source, arg), quoted(names[str(arg.value)])))
    for start, end, new in sorted(spans, reverse=True):
        text = text[:start] + new + text[end:]
    return text


def _span(source: str, node: ast.expr) -> tuple[int, int]:
    """Where a part of the tree stands in the formula, in characters; the parser counts bytes of a line, and
    one bracket more in the first.
    """

    def place(line: int, offset: int) -> int:
        lines = source.split("\n")
        before = sum(len(one) + 1 for one in lines[: line - 1])
        within = offset - (1 if line == 1 else 0)
        return before + len(lines[line - 1].encode()[:within].decode(errors="ignore"))

    return place(node.lineno, node.col_offset), place(node.end_lineno or 1, node.end_col_offset or 0)
