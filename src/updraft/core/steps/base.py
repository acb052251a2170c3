"""What a step kind is: one class that declares itself and turns lazy tables into lazy tables."""

from __future__ import annotations

import sys
from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, ClassVar, Literal, Protocol

import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from updraft.core.connect import Outside
from updraft.core.flow.model import MAIN_PORT

Tables = Mapping[str, pl.LazyFrame]
Level = Literal["info", "warning", "stop"]


class Settings(BaseModel):
    """Base of every kind's settings: frozen, and nothing that is not declared."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    unfilled: ClassVar[frozenset[str]] = frozenset()  # settings in which {params.name} is left as it stands


def setting(title: str, help: str = "", *, widget: str = "", default: Any = ..., **hints: Any) -> Any:
    """A field of Settings with what its form control needs: a title, a help text and a widget of the desk.

    `hints` go to the widget as they are (for instance `port="reference"` for a column picker).
    """
    if "labels" in hints:
        hints["labels"] = list(hints["labels"].items())  # a JSON Schema keeps the order of lists only
    extra = {key: value for key, value in {"widget": widget, **hints}.items() if value != ""}
    keywords: dict[str, Any] = {"title": title, "description": help or None, "json_schema_extra": extra or None}
    if isinstance(default, list | dict | BaseModel):
        return Field(default_factory=lambda: default, **keywords)
    return Field(default, **keywords)


@dataclass(frozen=True)
class Port:
    """An input: its name in `inputs`, and what it is called on the desk."""

    name: str = MAIN_PORT
    title: str = "Table"


@dataclass(frozen=True)
class Count:
    """A number worth saying, as a lazy frame of one cell; the engine computes it together with the table.

    `text` is a sentence that begins with `{n}`, `one` the same for a single thing; said when the number is not 0. Level
    `stop` fails the step then, with
    `way_out` as the advice.
    """

    code: str
    frame: pl.LazyFrame
    text: str
    level: Level = "info"
    way_out: str = ""
    one: str = ""

    def said(self, number: int) -> str:
        """The sentence for a number, in the singular where it is 1."""
        text = self.one if number == 1 and self.one else self.text
        return text.replace("{n}", f"{number:,}", 1)  # the first: a column may be called so, too


@dataclass(frozen=True)
class Result:
    """What a step makes.

    Args:
        table: the main output.
        sides: side outputs by name.
        counts: numbers to compute with it.
        touched: columns whose cells may have changed while the rows stayed the same, row for row;
            None when rows come or go.
        brought: columns that come from another table.
        warnings: sentences known without computing.
        evidence: why columns have their kinds, for those that were decided.
    """

    table: pl.LazyFrame
    sides: dict[str, pl.LazyFrame] = field(default_factory=dict)
    counts: tuple[Count, ...] = ()
    touched: tuple[str, ...] | None = None
    brought: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    evidence: dict[str, str] = field(default_factory=dict)


Wanted = frozenset[str] | None


def also(wanted: Wanted, names: Iterable[str]) -> Wanted:
    """These columns too; None stays all of them."""
    return None if wanted is None else wanted | frozenset(names)


class Context(Protocol):
    """A step's only door to the world."""

    @property
    def outside(self) -> Outside:
        """Connections, and the manners of using them."""

    @property
    def token(self) -> str:
        """Names what a remote source brought last: kept answers belong to it; a new one asks anew."""

    @property
    def wanted(self) -> Wanted:
        """The columns that later steps need, None for all. A source may leave others out to save work."""

    def file(self, path: str) -> Path:
        """The file a setting names; Problem when it is not there or lies outside what the flow may read."""

    def files(self, path: str) -> list[Path]:
        """The same for a path that may hold * and ?: all files it fits, by name; Problem when there is none."""


class StepKind(ABC):
    """One kind of step. Subclasses declare the class variables, `apply` and `sentence`, and are registered by that.

    Attributes:
        kind: the word in flow files.
        title: what it is called, verb first.
        family: the group it is listed under; its folder says it, with its place among the others.
        summary: one line on what it does.
        words: other words people search for.
        version: raised when the same settings give another result, so that cached tables are made anew.
        inputs: ports, the main one first. A source has none.
        outputs: names of side outputs.
    """

    kind: ClassVar[str]
    title: ClassVar[str]
    family: ClassVar[str]
    place: ClassVar[int] = 100
    summary: ClassVar[str]
    words: ClassVar[tuple[str, ...]] = ()
    icon: ClassVar[str] = "circle"
    version: ClassVar[int] = 1
    role: ClassVar[Literal["source", "step", "output"]] = "step"
    inputs: ClassVar[tuple[Port, ...]] = (Port(),)
    outputs: ClassVar[tuple[str, ...]] = ()
    Settings: ClassVar[type[Settings]]

    registry: ClassVar[dict[str, StepKind]] = {}

    def __init_subclass__(cls) -> None:
        if "kind" in cls.__dict__:
            if cls.kind in StepKind.registry:
                raise TypeError(f"two step kinds are called {cls.kind}")
            home = sys.modules[cls.__module__.rpartition(".")[0]]
            if not hasattr(cls, "family"):
                cls.family, cls.place = home.TITLE, home.PLACE
            StepKind.registry[cls.kind] = cls()

    @abstractmethod
    def apply(self, tables: Tables, settings: Any, context: Context) -> Result:
        """Describe the result lazily. Raises Problem when the tables that come in do not fit the settings."""

    @abstractmethod
    def sentence(self, settings: Any) -> str:
        """What the step does with these settings, in a few plain words."""

    def reads(self, settings: Any, wanted: Wanted, port: str) -> Wanted:
        """The columns needed at a port when `wanted` are needed of the main output; None means all.

        A kind that says nothing needs all. One that does must name every column that can change its result, its
        counts or its problems. Where a side output is taken, `wanted` is None: then name all that it needs, too.
        """
        return None

    def starting_settings(self) -> dict[str, Any]:
        """Settings a new step begins with; may still miss what only a person can say."""
        try:
            return self.Settings().model_dump(mode="json")
        except ValueError:
            return {}


class Source(StepKind):
    """A kind that brings a table in; `files` names what it reads, so that the engine notices when that changes."""

    role = "source"
    inputs = ()

    @abstractmethod
    def files(self, settings: Any) -> tuple[str, ...]:
        """The paths it reads, as its settings name them."""

    def readable(self, settings: Any, context: Context) -> list[Path]:
        """The files whose content becomes the table, for a picture of them; Problem when they cannot be had."""
        return [path for name in self.files(settings) for path in context.files(name)]


class Remote(Source):
    """A source outside this machine's files. What it brought is kept until somebody asks for it anew, or a run does."""

    def files(self, settings: Any) -> tuple[str, ...]:
        return ()


class Output(StepKind):
    """A kind that delivers its table. `apply` hands the table on; `deliver` is called only in a run."""

    role = "output"

    def apply(self, tables: Tables, settings: Any, context: Context) -> Result:
        return Result(tables[MAIN_PORT], touched=())

    @abstractmethod
    def write(self, table: pl.DataFrame, settings: Any, path: Path) -> None:
        """Write the whole table to this path, which is a scratch name in the folder it will be renamed in."""

    @abstractmethod
    def target(self, settings: Any, folder: Path) -> Path:
        """The path the finished file takes; Problem when the settings forbid it."""
