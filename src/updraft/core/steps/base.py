"""What a step kind is: one class that declares itself and turns lazy tables into lazy tables."""

from __future__ import annotations

import sys
from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import polars as pl

from updraft.core.deliver import Delivery, Outlet, Sample
from updraft.core.steps.given import Brought, Context, Grounds, Parts, Result, Spool, Wanted
from updraft.core.steps.naming import check_named
from updraft.core.steps.parts import Part
from updraft.core.steps.presummed import Groups
from updraft.core.steps.settings import Settings
from updraft.core.steps.spread import WHOLE, Spread
from updraft.core.steps.tables import Out, Port, Tables
from updraft.core.values import TITLES, Kind

if TYPE_CHECKING:
    from updraft.core.formats.options import ReadOptions
    from updraft.core.steps.conditions import Most, Only

# What a kind may need besides the tables that come in. `files`: files of the flow; `outside`: a connection;
# `decisions`: answers that people gave; `flows`: other flows; `names`: what the steps before it are called;
# `effects`: its table is delivered when the flow runs; `whole`: its tables computed, not only described,
# since it looks at their values to say what its result is.
Need = Literal["files", "outside", "decisions", "flows", "names", "effects", "whole"]


class StepKind(ABC):
    """One kind of step. Subclasses declare the class variables, `apply` and `sentence`, and are registered by
    that.

    Attributes:
        kind: the word in flow files.
        title: what it is called, verb first.
        family: the group it is listed under; its folder says it, with its place among the others.
        summary: one line on what it does.
        words: other words people search for.
        version: raised when the same settings give another result, so that cached tables are made anew.
        inputs: ports, one of them main. A source has none.
        outputs: outputs, one of them main.
        makes_text: what it makes text is meant to be text: nothing offers to turn it back.
        other_rows: its rows stand for other things than those that come in: none of these is gone.
        needs: what it needs besides its tables, see Need.
        answers: for a kind that needs decisions, the answers that its open questions can have; none: any
            text.
        made_for: what the page makes such a step for by itself: a `file` that comes in, pasted `cells`, the
            `order` of a sorted view, `values` edited in place, `rows` picked by hand, the `profile` taken as
            a table.
        way_in: for a source, its place among the ways in and what it brings, such as (5, "A database").
        works_on: types of columns of which it needs at least one; none: any.
        previews: the setting that bounds what comes, for a look at settings that are only tried; "" for none.
        desk: the module of the page that draws its desk; `form` makes one from the settings.
    """

    kind: ClassVar[str]
    title: ClassVar[str]
    family: ClassVar[str]
    place: ClassVar[int] = 100
    summary: ClassVar[str]
    words: ClassVar[tuple[str, ...]] = ()
    icon: ClassVar[str] = "circle"
    version: ClassVar[int] = 1
    inputs: ClassVar[tuple[Port, ...]] = (Port(main=True),)
    outputs: ClassVar[tuple[Out, ...]] = (Out(main=True),)
    makes_text: ClassVar[bool] = False
    other_rows: ClassVar[bool] = False
    needs: ClassVar[frozenset[Need]] = frozenset()
    answers: ClassVar[tuple[str, ...]] = ()
    way_in: ClassVar[tuple[int, str]] = (99, "")
    made_for: ClassVar[Literal["", "file", "cells", "values", "profile", "order", "rows"]] = ""
    works_on: ClassVar[frozenset[Kind]] = frozenset()
    desk: ClassVar[str] = "form"
    previews: ClassVar[str] = ""
    Settings: ClassVar[type[Settings]]

    registry: ClassVar[dict[str, StepKind]] = {}

    def __init_subclass__(cls) -> None:
        if "kind" in cls.__dict__:
            if cls.kind in StepKind.registry:
                raise TypeError(f"two step kinds are called {cls.kind}")
            if (cls.inputs and sum(port.main for port in cls.inputs) != 1) or sum(
                out.main for out in cls.outputs
            ) != 1:
                raise TypeError(f"{cls.kind} must have one main port (or none at all) and one main output")
            home = sys.modules[cls.__module__.rpartition(".")[0]]
            if not hasattr(cls, "family"):
                cls.family, cls.place = home.TITLE, home.PLACE
            StepKind.registry[cls.kind] = cls()

    @property
    def role(self) -> Literal["source", "step", "output"]:
        """Where it can stand: it begins a lane, stands in one, or ends one."""
        return "source" if not self.inputs else "output" if "effects" in self.needs else "step"

    @property
    def main_port(self) -> Port | None:
        """The port it is put into a lane at; None for a source."""
        return next((port for port in self.inputs if port.main), None)

    def work(self, tables: Tables, settings: Any, context: Context) -> Result:
        """What comes of the tables, once it is known that nothing is open in the settings, and that the
        columns they name are there and fit; the one way to `apply`.
        """
        settings.check_filled()
        check_named(settings, tables)
        return self.apply(tables, settings, context)

    @abstractmethod
    def apply(self, tables: Tables, settings: Any, context: Context) -> Result:
        """Describe the result lazily; `work` has looked at the settings. Raises Problem when the tables that
        come in do not fit them otherwise.
        """

    @abstractmethod
    def sentence(self, settings: Any) -> str:
        """What the step does with these settings, in a few plain words."""

    def lacks(self, columns: Mapping[str, Kind] | None, tables: int) -> str:
        """Why a new step of this kind has nothing to work on, in words; empty where it has.

        Args:
            columns: those of the table it would take, where they are known.
            tables: how many tables it could take.
        """
        if self.role == "source":
            return ""
        if not tables:
            return "needs a table; bring one in first"
        if tables < len(self._starting_ports()):
            return "needs a second table; bring one in first"
        if self.works_on and columns is not None and not self.works_on & set(columns.values()):
            types = " or ".join(TITLES[kind] for kind in Kind if kind in self.works_on)
            return f"works on columns of type {types}; there is none here"
        return ""

    def _starting_ports(self) -> tuple[Port, ...]:
        # Not checked: what only a person can say is still missing.
        return self.ports(self.Settings.model_construct(**self.starting_settings()))

    def ports(self, settings: Any) -> tuple[Port, ...]:
        """The ports it has with these settings; the main one is the same with all of them."""
        return self.inputs

    def outs(self, settings: Any) -> tuple[Out, ...]:
        """The outputs it has with these settings; the main one is the same with all of them."""
        return self.outputs

    def reads(self, settings: Any, wanted: Wanted, port: str) -> Wanted:
        """The columns needed at a port when `wanted` are needed of the main output; None means all.

        A kind that says nothing needs all. One that does must name every column that can change its result,
        its counts or its problems. Where a side output is taken, `wanted` is None: then name all that it
        needs, too.
        """
        return None

    def keeps(self, settings: Any) -> Only | Most | None:
        """The rows that it keeps, for a kind that does nothing but keep rows."""
        return None

    def presums(self, settings: Any) -> Groups | None:
        """What it needs of groups of its rows, for a kind that does nothing but count and add up."""
        return None

    def behind(self, settings: Any, table: pl.DataFrame, row: int) -> dict[str, Any] | None:
        """The rule of the rows of the main table that a row of the result stands for, without conditions for
        all of them; None where no rule tells them.

        Args:
            table: the result.
        """
        return None

    def spread(self, settings: Any, schemas: Mapping[str, pl.Schema]) -> Spread:
        """How its work may be spread over parts of its tables.

        Args:
            schemas: of the tables that come in, by port; of several at one port the first's.
        """
        return WHOLE

    def files(self, settings: Any) -> tuple[str, ...]:
        """The paths it reads, as its settings name them. For kinds that need files."""
        return ()

    def seen_in_part(self, settings: Any) -> tuple[str, ReadOptions] | None:
        """The files, by their path, of which somebody may look at a sample, and how they are read; see
        `Context.seen`.
        """
        return None

    def part(self, settings: Any) -> Part | None:
        """The flow that it holds with these settings; see Context.inside."""
        return None

    def depends_on(self, settings: Any, grounds: Grounds) -> list[str]:
        """What its result follows from besides its settings and the tables that come in.

        Raises:
            Problem: something of it is not there.
        """
        said = [grounds.content(path) for path in self.files(settings)]
        if "outside" in self.needs:
            said += [grounds.brought, grounds.connection(getattr(settings, "connection", ""))]
        return said

    def bring(self, settings: Any, context: Context, spool: Spool, rows: int) -> Brought | None:
        """For a source: what `apply` gives part by part, each of about so many rows; None where all of it
        has to be held.
        """
        return None

    def starting_settings(self) -> dict[str, Any]:
        """Settings a new step begins with; may still miss what only a person can say."""
        try:
            return self.Settings().model_dump(mode="json")
        except ValueError:
            return {}

    def readable(self, settings: Any, context: Context) -> list[Path]:
        """The files whose content becomes the table, for a picture of them; Problem when they cannot be
        had.
        """
        return [path for name in self.files(settings) for path in context.files(name)]

    def prepare(self, table: pl.DataFrame, settings: Any, outlet: Outlet) -> Iterable[Delivery]:
        """Make ready what the step delivers, whole and checked, one after another. For kinds with effects;
        called only in a run.
        """
        raise NotImplementedError

    def prepare_parts(self, table: Parts, settings: Any, outlet: Outlet) -> Iterable[Delivery]:
        """As `prepare`, for a table in parts that may not all be held at a time; a kind that can write them
        one after another does.
        """
        return self.prepare(table.lazy().collect().rechunk(), settings, outlet)

    def sample(self, table: pl.DataFrame, settings: Any, outlet: Outlet) -> Sample | None:
        """The first of what the step would deliver, to look at; None where the table itself shows it."""
        return None
