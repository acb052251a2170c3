"""Formulas: one Python expression, read by Python's own parser and turned into Polars by a white list.

Nothing of a formula is ever executed as Python. Names are columns, calls are functions of the registry, and
whatever else the parser knows is refused by name and place.
"""

from __future__ import annotations

import ast
import math
import re
import unicodedata
from collections.abc import Callable, Mapping
from datetime import date
from typing import Any

import polars as pl

from updraft.core.formula.calculating import calculated
from updraft.core.formula.other_words import said_here
from updraft.core.formula.parsing import no_formula, parsed, unquoted
from updraft.core.formula.registry import Argument, Function, check, functions
from updraft.core.formula.terms import (
    NUMBERS,
    Columns,
    FormulaError,
    Misfit,
    Term,
    cast,
    compared,
    constant,
    same_kind,
)
from updraft.core.problems import nearest, wrong_pattern
from updraft.core.values import TITLES, Kind
from updraft.core.values.common import names_like

_COMPARE: dict[type[ast.cmpop], str] = {
    ast.Eq: "==", ast.NotEq: "!=", ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">="
}  # fmt: skip
_SIGNS: dict[type[ast.AST], str] = {
    ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.Mod: "%", ast.Pow: "**"
}  # fmt: skip


def compile_formula(
    text: str,
    columns: Columns,
    parameter: Callable[[str], Any] | None = None,
    given: Mapping[str, Term] | None = None,
) -> Term:
    """A formula as an expression over a table.

    Args:
        columns: the table's columns with their kinds. A column is written by its name, in backticks where it
            is no plain word (or with _ for what is no letter or digit), or as column("its name").
        parameter: gives a parameter's value, for `params.name`.
        given: words that stand for something else than a column.

    Raises:
        FormulaError: it cannot be read, or does not fit the columns; says where.
        Problem: a parameter that it names is not there.
    """
    tree, names = parsed(text)
    return _Compiler(text, names, columns, parameter, given or {}).term(tree)


class _Compiler:
    def __init__(
        self,
        source: str,
        names: dict[str, str],
        columns: Columns,
        parameter: Callable[[str], Any] | None,
        given: Mapping[str, Term],
    ) -> None:
        self.source, self.names, self.columns, self.parameter = source, names, columns, parameter
        self.given = given
        self.lines = unquoted(source)[0].split("\n")  # as the parser saw them

    def term(self, node: ast.expr) -> Term:
        makers: dict[type[ast.AST], Callable[[Any], Term]] = {
            ast.Constant: self._constant,
            ast.Name: self._name,
            ast.Attribute: self._parameter,
            ast.Call: self._call,
            ast.BinOp: self._binary,
            ast.UnaryOp: self._unary,
            ast.BoolOp: self._bool,
            ast.Compare: self._compare,
            ast.IfExp: self._if,
        }
        make = makers.get(type(node))
        if make is None:
            raise self._wrong(node, *no_formula(node))
        try:
            return make(node)
        except Misfit as misfit:
            raise self._wrong(node, misfit.reason, misfit.way_out) from None

    def _wrong(self, node: ast.expr, reason: str, way_out: str) -> FormulaError:
        place, end = (
            self._place(node.lineno, node.col_offset),
            self._place(node.end_lineno or 1, node.end_col_offset or 0),
        )
        said = self.source[place:end].strip()
        said = said if len(said) <= 40 else f"{said[:39]}…"
        thing = f"“{said}” at character {place + 1}" if said else "The formula"
        return FormulaError(thing, reason, way_out, place, max(end - place, 1))

    def _place(self, line: int, column: int) -> int:
        """Characters before a place that the parser tells in lines and bytes; a ( stood before the first."""
        line = min(line, len(self.lines))
        first = self.lines[line - 1].encode()[: max(column - (line == 1), 0)].decode(errors="ignore")
        return sum(len(one) + 1 for one in self.lines[: line - 1]) + len(first)

    def _constant(self, node: ast.Constant) -> Term:
        if isinstance(node.value, bool | int | float | str | None):
            if isinstance(node.value, int) and abs(node.value) >= 1 << 63:
                raise Misfit("this number is too large.", "Write it with a decimal point.")
            if isinstance(node.value, float) and not math.isfinite(node.value):
                raise Misfit("this number is too large.", "Write a smaller one.")
            return constant(node.value)
        raise Misfit("formulas do not have this.", "Use a number or a text in quotes.")

    def _name(self, node: ast.Name) -> Term:
        if node.id in self.names:
            return self._column(self.names[node.id], [])
        if node.id in self.given:
            return self.given[node.id]
        return self._column(node.id, [name for name in self.columns if written_plainly(name) == node.id])

    def _column(self, name: str, alike: list[str]) -> Term:
        found = [name] if name in self.columns else alike
        if len(found) > 1:
            raise Misfit(
                f"it may be {' or '.join(f'“{one}”' for one in found)}.", 'Write column("its name").'
            )
        if found:
            return Term(pl.col(found[0]), self.columns[found[0]])
        if name in functions():
            raise Misfit("it is a function.", f"Write it with brackets: {functions()[name].signature}.")
        near = nearest(name, [*self.columns, *map(written_plainly, self.columns)])
        way_out = (
            f"The nearest is “{near}”." if near else f"Columns are: {', '.join(list(self.columns)[:8])}."
        )
        raise Misfit("the table has no such column.", f"{way_out} Text stands in quotes.")

    def _parameter(self, node: ast.Attribute) -> Term:
        if not (isinstance(node.value, ast.Name) and node.value.id == "params"):
            raise Misfit(
                "formulas know no dots but params.name.", "Use a function: upper(name), not name.upper()."
            )
        if self.parameter is None:
            raise Misfit("there are no parameters here.", "Write the value.")
        value = self.parameter(node.attr)
        if isinstance(value, tuple):
            raise Misfit("it is a list, and a formula needs one value.", "Use it after “in”.")
        if isinstance(value, date):
            return Term(pl.lit(value, dtype=pl.Date), Kind.DATE, value)
        return constant(value)

    def _call(self, node: ast.Call) -> Term:
        if not isinstance(node.func, ast.Name):
            raise Misfit("only functions can be called.", "Use a function: upper(name), not name.upper().")
        name = node.func.id
        if name == "column":
            return self._quoted(node)
        if name == "columns":
            raise Misfit(
                "several columns are no value.",
                'Put them into a function that takes many: mean(columns("…")).',
            )
        if name not in functions():
            near = nearest(name, functions())
            way_out = said_here(name) or (f"The nearest is {near}." if near else "See all functions.")
            raise Misfit(f"there is no function {name}.", way_out)
        return self._made(functions()[name], node)

    def _quoted(self, node: ast.Call) -> Term:
        if len(node.args) != 1 or not isinstance(node.args[0], ast.Constant) or node.keywords:
            raise Misfit("column takes one name in quotes.", 'Write column("its name").')
        return self._column(str(node.args[0].value), [])

    def _made(self, called: Function, node: ast.Call) -> Term:
        given = list(node.args)
        named = {word.arg: word.value for word in node.keywords}
        values: list[Any] = []
        for argument in called.arguments:
            if argument.named:
                values.append(self._by(named.pop(argument.name, None)))
            elif argument.many:
                spread = [one for part in given for one in self._spread(part)]
                values.append([self._checked(argument, one) for one in spread])
                given = []
            elif given:
                values.append(self._checked(argument, given.pop(0)))
            elif argument.name in named:
                values.append(self._checked(argument, named.pop(argument.name)))
            elif argument.default is not ...:
                values.append(constant(argument.default))
            else:
                raise Misfit(f"“{argument.name}” is missing.", f"Write {called.signature}: {called.help}.")
        if given:
            raise Misfit("it is given more than it takes.", f"Write {called.signature}: {called.help}.")
        if named:
            raise Misfit(
                f"it does not take “{next(iter(named))}”.", f"Write {called.signature}: {called.help}."
            )
        return called.make(*values)

    def _spread(self, node: ast.expr) -> list[ast.expr | Term]:
        """A value as it stands; for columns("pattern") all columns whose whole names fit it."""
        if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "columns"):
            return [node]
        if len(node.args) != 1 or not isinstance(node.args[0], ast.Constant) or node.keywords:
            raise Misfit("columns takes one pattern in quotes.", 'Write columns("score .*").')
        said = str(node.args[0].value)
        try:
            names = names_like(self.columns, said)
        except pl.exceptions.PolarsError:
            raise Misfit(f"“{said}” is not a pattern: {wrong_pattern(said)}.", "Mend the pattern.") from None
        found = [Term(pl.col(name), self.columns[name]) for name in names]
        if not found:
            raise Misfit(
                "no column has such a name.", 'Write a pattern for whole names: columns("score .*").'
            )
        return list(found)

    def _checked(self, argument: Argument, node: ast.expr | Term) -> Term:
        if isinstance(node, Term):
            check(argument, node)
            return node
        if isinstance(node, ast.Starred):
            raise self._wrong(node, "formulas do not have this.", "Write each value.")
        found = self.term(node)
        try:
            check(argument, found)
        except Misfit as misfit:
            raise self._wrong(node, misfit.reason, misfit.way_out) from None
        return found

    def _by(self, node: ast.expr | None) -> list[Term] | None:
        if node is None:
            return None
        return [self.term(one) for one in (node.elts if isinstance(node, ast.Tuple | ast.List) else [node])]

    def _binary(self, node: ast.BinOp) -> Term:
        sign = _SIGNS.get(type(node.op))
        if sign is None:
            raise Misfit(
                "formulas do not have this sign.",
                {
                    ast.BitAnd: "Write + to put texts together, and “and” between two tests.",
                    ast.BitOr: "Write “or” between two tests.",
                    ast.BitXor: "Write ** for a power.",
                }.get(type(node.op), "Use + - * / // % **."),
            )
        return calculated(sign, self.term(node.left), self.term(node.right))

    def _unary(self, node: ast.UnaryOp) -> Term:
        value = self.term(node.operand)
        if isinstance(node.op, ast.Not):
            return Term(~_truth(value), Kind.YES_NO)
        if isinstance(node.op, ast.Invert) or value.kind not in (*NUMBERS, None):
            raise Misfit("a sign needs a number.", "Use number(…) to read one from text.")
        if isinstance(node.op, ast.UAdd):
            return value
        if value.is_constant:
            return constant(-value.constant)
        return Term(-value.expr, value.kind)

    def _bool(self, node: ast.BoolOp) -> Term:
        parts = [_truth(self.term(value)) for value in node.values]
        join = pl.all_horizontal if isinstance(node.op, ast.And) else pl.any_horizontal
        return Term(join(parts), Kind.YES_NO)

    def _compare(self, node: ast.Compare) -> Term:
        found, left = [], node.left
        for operation, right in zip(node.ops, node.comparators, strict=True):
            found.append(self._compared(operation, left, right))
            left = right
        return Term(found[0] if len(found) == 1 else pl.all_horizontal(found), Kind.YES_NO)

    def _compared(self, operation: ast.cmpop, left: ast.expr, right: ast.expr) -> pl.Expr:
        mine = self.term(left)
        if isinstance(operation, ast.In | ast.NotIn):
            among = self._among(mine, right)
            return ~among if isinstance(operation, ast.NotIn) else among
        if type(operation) not in _COMPARE:
            raise Misfit(
                "formulas compare by == != < <= > >= and in.", "Use is_empty(…) to find empty values."
            )
        its = self.term(right)
        if mine.kind is None or its.kind is None:
            raise Misfit("nothing equals an empty value.", "Use is_empty(…).")
        kind = same_kind([mine, its])
        return compared(_COMPARE[type(operation)], cast(mine, kind), cast(its, kind))

    def _among(self, mine: Term, right: ast.expr) -> pl.Expr:
        if isinstance(right, ast.Tuple | ast.List | ast.Set):
            others = [self.term(one) for one in right.elts]
        elif isinstance(right, ast.Attribute) and self.parameter is not None:
            value = self.parameter(right.attr)
            others = [constant(one) for one in (value if isinstance(value, tuple) else (value,))]
        else:
            raise Misfit("after “in” stands a list.", 'Write it in brackets: hub in ("Fen", "Dale").')
        kind = same_kind([mine, *others])
        return pl.any_horizontal(
            [pl.lit(False), *(compared("==", cast(mine, kind), cast(one, kind)) for one in others)]
        )

    def _if(self, node: ast.IfExp) -> Term:
        test = _truth(self.term(node.test))
        then, otherwise = self.term(node.body), self.term(node.orelse)
        kind = same_kind([then, otherwise])
        return Term(pl.when(test).then(cast(then, kind)).otherwise(cast(otherwise, kind)), kind)


def written_plainly(name: str) -> str:
    """A column's name as it is written in a formula: as the parser gives names, _ for what none can hold."""
    return unicodedata.normalize("NFKC", re.sub(r"\W", "_", name))


def _truth(value: Term) -> pl.Expr:
    if value.kind not in (Kind.YES_NO, None):
        said = TITLES[value.kind] if value.kind else ""
        raise Misfit(f"a condition is needed, and this is {said}.", "Compare it: amount > 10.")
    return value.expr.cast(pl.Boolean)
