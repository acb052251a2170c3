"""Terms of the vocabularies that linked data is mostly written in, to be searched by name.

The terms are those that rdflib lists; of Darwin Core (https://dwc.tdwg.org/terms/) the usual ones.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any

from updraft.core.problems import Problem

_LISTED = {
    "schema": ("SDO", "schema.org"),
    "dcterms": ("DCTERMS", "Dublin Core terms"),
    "skos": ("SKOS", "SKOS, concepts"),
    "foaf": ("FOAF", "FOAF, people"),
    "rdfs": ("RDFS", "RDF Schema"),
    "owl": ("OWL", "OWL"),
    "prov": ("PROV", "PROV, provenance"),
    "org": ("ORG", "Organizations"),
    "time": ("TIME", "OWL-Time"),
    "dcat": ("DCAT", "DCAT, datasets"),
    "qb": ("QB", "Data Cube"),
    "sosa": ("SOSA", "SOSA, observations"),
}
_DARWIN_CORE = """Event Identification Location MaterialEntity MeasurementOrFact Occurrence Organism Taxon
basisOfRecord catalogNumber class collectionCode continent country countryCode cultivarEpithet decimalLatitude
decimalLongitude eventDate family genus genericName higherClassification identifiedBy individualCount
infraspecificEpithet institutionCode kingdom lifeStage locality measurementType measurementUnit
measurementValue municipality nomenclaturalCode occurrenceID order organismID phylum recordedBy scientificName
scientificNameAuthorship scientificNameID specificEpithet stateProvince taxonID taxonRank taxonRemarks
taxonomicStatus tribe verbatimLocality vernacularName waterBody year"""
_IRI = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:[^\s<>\"{}|\\^`]+")


@dataclass(frozen=True)
class VocabularyTerm:
    """A term: short (`schema:name`) and whole, with its vocabulary; a class, or else a property."""

    short: str
    iri: str
    vocabulary: str
    is_class: bool


@cache
def prefixes() -> dict[str, str]:
    """The prefix of every known vocabulary with its address."""
    from rdflib import namespace

    own = {"xsd": str(namespace.XSD), "rdf": str(namespace.RDF), "dwc": "http://rs.tdwg.org/dwc/terms/"}
    return own | {prefix: str(getattr(namespace, name)) for prefix, (name, _) in _LISTED.items()}


def search(text: str, classes: bool, most: int = 40) -> list[VocabularyTerm]:
    """Terms whose name holds all words typed, in any order; those that begin so first, then the shorter ones.

    Args:
        classes: look for kinds of things, otherwise for properties.
    """
    words = re.sub(r"[_:\W]+", " ", _split(text)).split()
    found = []
    for term in _terms():
        if term.is_class is classes:
            name = _split(term.short.replace(":", " "))
            if all(word in name for word in words):
                begins = name.partition(" ")[2].startswith(" ".join(words))
                found.append((not begins, len(name), term.short, term))
    return [term for *_, term in sorted(found)[:most]]


def expand(term: str, own: Mapping[str, str], *, field: str) -> str:
    """The whole address of a term.

    Args:
        term: short with a known prefix, or whole.
        own: further prefixes.

    Raises:
        Problem: the prefix is not known, or it is neither.
    """
    prefix, colon, name = term.partition(":")
    known = {**prefixes(), **own}
    if colon and prefix in known and not name.startswith("//"):
        return known[prefix] + name
    if "://" in term and _IRI.fullmatch(term):
        return term
    reason = f"the prefix “{prefix}” is not known" if colon else "it is no term"
    raise Problem(
        f"“{term}”",
        f"{reason}.",
        "Write it as schema:name or whole, or add the prefix.",
        field=field,
        code="bad_term",
    )


@cache
def _terms() -> list[VocabularyTerm]:
    from rdflib import namespace

    found = []
    for prefix, (name, title) in _LISTED.items():
        found += list(_of(prefix, prefixes()[prefix], title, map(str, dir(getattr(namespace, name)))))
    dwc = prefixes()["dwc"]
    return found + list(_of("dwc", dwc, "Darwin Core", (dwc + name for name in _DARWIN_CORE.split())))


def _of(prefix: str, base: str, title: str, iris: Iterable[Any]) -> Iterable[VocabularyTerm]:
    for iri in iris:
        name = iri.removeprefix(base)
        if iri.startswith(base) and name and not name.startswith("_"):
            yield VocabularyTerm(f"{prefix}:{name}", iri, title, name[0].isupper())


def _split(name: str) -> str:
    """A name as lower-case words: `birthDate` as “birth date”."""
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name).lower()
