"""Texts in SQL as they are compared everywhere else: by their letters, of each database in its own words."""

from typing import Any

import sqlalchemy as sa
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.functions import FunctionElement


class Position(FunctionElement[int]):
    """Where a text stands in another, from 1; 0 when it does not."""

    inherit_cache = True
    type = sa.Integer()


class InOrder(FunctionElement[str]):
    inherit_cache = True
    type = sa.String()


class Exact(FunctionElement[str]):
    """A text that equals only itself: MySQL takes ä for a, and A for a, unless it is told not to."""

    inherit_cache = True
    type = sa.String()


@compiles(Position)
def _instr(element: Any, compiler: Any, **options: Any) -> str:
    return f"instr({compiler.process(element.clauses, **options)})"


@compiles(Position, "postgresql")
def _strpos(element: Any, compiler: Any, **options: Any) -> str:
    return f"strpos({compiler.process(element.clauses, **options)})"


@compiles(Exact)
@compiles(InOrder)
def _as_it_is(element: Any, compiler: Any, **options: Any) -> str:
    return str(compiler.process(element.clauses, **options))


@compiles(InOrder, "postgresql")
def _by_numbers(element: Any, compiler: Any, **options: Any) -> str:
    return f'({compiler.process(element.clauses, **options)}) COLLATE "C"'


@compiles(Exact, "mysql")
@compiles(Exact, "mariadb")
@compiles(InOrder, "mysql")
@compiles(InOrder, "mariadb")
def _binary(element: Any, compiler: Any, **options: Any) -> str:
    return f"CAST({compiler.process(element.clauses, **options)} AS BINARY)"
