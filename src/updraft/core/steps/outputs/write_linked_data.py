from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import polars as pl

from updraft.core.deliver import FileDelivery, Outlet, Sample
from updraft.core.filling import Template
from updraft.core.problems import Problem
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import need_columns
from updraft.core.steps.counts import Count
from updraft.core.steps.given import Context, Result
from updraft.core.steps.outputs.naming import plain_name
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables

_FORMS: dict[str, Literal["turtle", "json-ld"]] = {".ttl": "turtle", ".jsonld": "json-ld", ".json": "json-ld"}
_SHOWN = 5  # rows in the sample


class Said(Settings):
    term: str = setting("Says", "a property, such as schema:name", widget="property_term", default="")
    value: Literal["column", "address"] = setting(
        "by",
        widget="choice",
        default="column",
        labels={"column": "a column's value", "address": "an address"},
    )
    column: str = setting("Column", widget="column", default="", when={"value": ["column"]})
    language: str = setting(
        "Language of the text",
        "a tag such as en; empty for none",
        widget="text",
        default="",
        when={"value": ["column"]},
    )
    address: str = setting(
        "Address", "such as https://…/{Column}", widget="text", default="", when={"value": ["address"]}
    )


class Prefix(Settings):
    prefix: str = setting("Prefix", widget="text", default="")
    address: str = setting("stands for", widget="text", default="")


class WriteLinkedDataSettings(Settings):
    name: str = setting("File name", "ends in .ttl or .jsonld", widget="text", default="things.ttl")
    subject: str = setting(
        "Address of each row's thing", "such as https://…/{Column}", widget="text", default=""
    )
    type: str = setting("Each is a", "such as schema:Product", widget="class_term", default="")
    statements: tuple[Said, ...] = setting(
        "Statements", widget="items", default=(), one="statement", begun=True
    )
    prefixes: tuple[Prefix, ...] = setting("Prefixes of your own", widget="items", default=(), one="prefix")


class WriteLinkedData(StepKind):
    """Write the table as a graph of linked data, in Turtle or JSON-LD: a thing with an address for each row,
    and what its columns say of it, in terms of known vocabularies. Dates and numbers are typed.
    """

    kind = "write_linked_data"
    title = "Write linked data"
    summary = "Save the table as a graph of things with addresses: Turtle or JSON-LD"
    words = ("rdf", "turtle", "json-ld", "graph", "triples", "semantic web", "ontology", "export", "deliver")
    icon = "diagram-3"
    needs = frozenset({"effects"})
    Settings = WriteLinkedDataSettings

    def apply(self, tables: Tables, settings: WriteLinkedDataSettings, context: Context) -> Result:
        known = tables.main.collect_schema()
        subject = Template(settings.subject)
        subject.check(known, field="subject", thing="The address of each row's thing")
        for said in settings.statements:
            if said.value == "address":
                Template(said.address).check(known, field="statements")
            elif said.column or said.term:
                need_columns([said.column], known, field="statements")
        if not subject.columns:  # all rows speak of one thing
            return Result(tables.main, touched=())
        without = pl.any_horizontal(pl.col(name).is_null() for name in subject.columns)
        no_address = Count(
            "no_address",
            tables.main.select(without.sum()),
            "{n} rows get no address and are left out",
            "warning",
            one="{n} row gets no address and is left out",
        )
        return Result(tables.main, touched=(), counts=(no_address,))

    def prepare(
        self, table: pl.DataFrame, settings: WriteLinkedDataSettings, outlet: Outlet
    ) -> Iterator[FileDelivery]:
        name = plain_name(settings.name)
        text = self._text(table, settings)
        target = outlet.folder / name
        yield FileDelivery(outlet, name, target, lambda path: _write(path, text), table.height)

    def sample(self, table: pl.DataFrame, settings: WriteLinkedDataSettings, outlet: Outlet) -> Sample:
        few = table.head(_SHOWN)
        said = f"the first {few.height} of {table.height:,} rows" if table.height > _SHOWN else ""
        return Sample(self._text(few, settings), said=said)

    def _text(self, table: pl.DataFrame, settings: WriteLinkedDataSettings) -> str:
        from updraft.core.linked.graph import Mapped, Statement, graph_of, written
        from updraft.core.linked.vocabularies import expand

        form = _FORMS.get(Path(settings.name.strip()).suffix.lower())
        if form is None:
            raise Problem(
                f"File name “{settings.name}”",
                "it ends in neither .ttl nor .jsonld.",
                "Let it end so.",
                field="name",
            )
        own = {one.prefix.strip().rstrip(":"): one.address.strip() for one in settings.prefixes if one.prefix}
        statements = [
            Statement(
                expand(said.term, own, field="statements"),
                said.column,
                said.language.strip(),
                Template(said.address) if said.value == "address" else None,
            )
            for said in settings.statements
            if said.term or said.column
        ]
        kinds = (expand(settings.type, own, field="type"),) if settings.type else ()
        if not statements and not kinds:
            raise Problem(
                "The statements",
                "there is none yet.",
                "Say what each row's thing is, or what a column says of it.",
                field="statements",
                code="unfinished",
            )
        return written(
            graph_of(table, Mapped(Template(settings.subject), kinds, tuple(statements)), own), form
        )

    def sentence(self, settings: WriteLinkedDataSettings) -> str:
        return f"{settings.type or 'things'} → {settings.name}"


def _write(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8", newline="\n")
