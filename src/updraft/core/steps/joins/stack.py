from collections.abc import Iterable, Mapping, Sequence
from typing import Literal

import polars as pl

from updraft.core.formats.stacking import differences
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.spread import BY_ROWS, Spread
from updraft.core.steps.tables import Incoming, Port, Tables
from updraft.core.values.common import common_type, tidied_name


class StackSettings(Settings):
    by: Literal["name", "tidied", "place"] = setting(
        "Columns meet by",
        widget="choice",
        default="name",
        labels={"name": "name", "tidied": "name, without case and signs", "place": "place"},
    )
    columns: Literal["all", "shared", "first", "stop"] = setting(
        "Where columns differ",
        widget="choice",
        default="all",
        labels={"all": "keep all", "shared": "only shared ones", "first": "as in the first", "stop": "stop"},
    )
    source: str = setting("Column that names the table", "empty makes none", widget="text", default="Table")


class Stack(StepKind):
    """Put the rows of several tables below each other, in the order of the tables.

    A column that a table lacks is empty in its rows. Names may count without case, accents, blanks and signs.
    Where one name holds several types, numbers become numbers, days and times become times, and all else
    becomes text.
    """

    kind = "stack"
    title = "Stack"
    summary = "Put several tables below each other, as one"
    words = (
        "union",
        "append",
        "concatenate",
        "combine tables",
        "below each other",
        "several months",
        "merge rows",
    )
    icon = "layers"
    inputs = (Port("tables", "Tables", main=True, many=True),)
    needs = frozenset({"names"})
    Settings = StackSettings

    def apply(self, tables: Tables, settings: StackSettings, context: Context) -> Result:
        arrived = list(tables.many("tables"))
        first = list(arrived[0].table.collect_schema())
        if settings.by == "place":
            arrived = [_named_as(first, incoming) for incoming in arrived]
        elif settings.by == "tidied":
            arrived = _named_alike(arrived)
        schemas = [incoming.table.collect_schema() for incoming in arrived]
        said = _differences(arrived, schemas)
        if said and settings.columns == "stop":
            raise Problem(
                "The tables",
                f"their columns differ: {said[0]}",
                "Make them alike before this step, or choose what happens where columns differ.",
                field="columns",
                code="columns_differ",
            )
        names = _kept(schemas, settings)
        types = {name: _type(name, schemas) for name in names}
        mixed = [
            name
            for name, dtype in types.items()
            if len({s[name] for s in schemas if name in s} - {pl.Null(), dtype})
        ]
        label = _free(settings.source.strip(), names)
        parts = [
            # First with_columns: a select of nothing but literals would make a row where there is none.
            incoming.table.with_columns(
                [
                    *([pl.lit(title).alias(label)] if label else []),
                    *(
                        (pl.col(name) if name in schema else pl.lit(None)).cast(types[name]).alias(name)
                        for name in names
                    ),
                ]
            ).select([*([label] if label else []), *names])
            for title, incoming, schema in zip(_titles(arrived), arrived, schemas, strict=True)
        ]
        told = [] if settings.columns == "stop" else said
        told += [f"Column “{name}” holds several types; all of it is {_word(types[name])}." for name in mixed]
        return Result(pl.concat(parts), warnings=tuple(told))

    def spread(self, settings: StackSettings, schemas: Mapping[str, pl.Schema]) -> Spread:
        return BY_ROWS

    def sentence(self, settings: StackSettings) -> str:
        named = f" · named in {settings.source}" if settings.source.strip() else ""
        return f"by {settings.by.replace('tidied', 'name')}{named}"


def _named_as(first: list[str], incoming: Incoming) -> Incoming:
    """The table with its columns called like those of the first one, place by place."""
    own = list(incoming.table.collect_schema())
    new = first[: len(own)]
    for name in own[len(first) :]:
        new.append(_free(name, new))
    # By select, not by rename: names may trade places.
    return Incoming(
        incoming.table.select(pl.col(old).alias(name) for old, name in zip(own, new, strict=True)),
        incoming.label,
    )


def _named_alike(arrived: Sequence[Incoming]) -> list[Incoming]:
    """The tables with columns of one name but for case, accents, blanks and signs called as the first of them
    is. A column stays as it is where its table has one of that name.
    """
    called: dict[str, str] = {}
    found = []
    for incoming in arrived:
        own = list(incoming.table.collect_schema())
        new: list[str] = []
        for name in own:
            usual = called.setdefault(tidied_name(name), name)
            free = usual not in new and (usual == name or usual not in own)
            new.append(usual if free else name)
        renamed = [pl.col(old).alias(name) for old, name in zip(own, new, strict=True)]
        found.append(Incoming(incoming.table.select(renamed), incoming.label))
    return found


def _differences(arrived: Sequence[Incoming], schemas: Sequence[pl.Schema]) -> list[str]:
    usual = list(schemas[0])
    return [
        f"Table “{incoming.label}”: {text}"
        for incoming, schema in zip(arrived[1:], schemas[1:], strict=True)
        for text in differences(usual, list(schema), moved=False)
    ]


def _kept(schemas: Sequence[pl.Schema], settings: StackSettings) -> list[str]:
    """The columns of the result, in the order in which they first appear."""
    if settings.columns == "first":
        return list(schemas[0])
    everything = list(dict.fromkeys(name for schema in schemas for name in schema))
    if settings.columns != "shared":
        return everything
    shared = [name for name in everything if all(name in schema for schema in schemas)]
    if not shared:
        raise Problem(
            "The tables",
            "no column is in all of them.",
            "Keep all columns, or let them meet by place.",
            field="columns",
            code="nothing_shared",
        )
    return shared


def _type(name: str, schemas: Sequence[pl.Schema]) -> pl.DataType:
    dtype = common_type(schema[name] for schema in schemas if name in schema)
    if dtype is None:
        raise Problem(
            f"Column “{name}”",
            "it holds lists or records in one table and other values in another.",
            "Rename or drop it in one of them first.",
            code="types_differ",
        )
    return dtype


def _titles(arrived: Sequence[Incoming]) -> list[str]:
    titles: list[str] = []
    for incoming in arrived:
        titles.append(_free(incoming.label, titles))
    return titles


def _free(name: str, taken: Iterable[str]) -> str:
    """The name, with a number behind it when it is taken."""
    known, number, found = set(taken), 2, name
    while found and found in known:
        found, number = f"{name} {number}", number + 1
    return found


def _word(dtype: pl.DataType) -> str:
    return "numbers" if dtype.is_numeric() else "times" if dtype.is_temporal() else "text"
