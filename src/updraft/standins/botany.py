"""The botanical reference: species and genera with synonyms, family and origin, behind the Reconciliation
Service API 0.2 (W3C Entity Reconciliation Community Group) with suggestions and data extension.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from flask import Flask, Response, jsonify, request
from markupsafe import escape
from rapidfuzz import fuzz

SPACE = "https://botany.larkmoor.example/"
TYPES = {"species": "Species", "genus": "Genus", "family": "Family"}
PROPERTIES = {
    "family": "Family",
    "genus": "Genus",
    "common": "Common name",
    "origin": "Origin",
    "synonyms": "Synonyms",
}
_LEAST, _SURE = 55, 97  # score from which something is a candidate, and from which it is one beyond doubt
_AUTHOR = re.compile(r"\s+(\(?[A-Z][\w.]*\)?\s*&?\s*)+$")


@dataclass(frozen=True)
class Taxon:
    id: str
    name: str
    type: str
    family: str
    genus: str = ""
    origin: str = ""
    common: str = ""
    synonyms: tuple[str, ...] = ()

    def values(self, name: str) -> list[str]:
        found = getattr(self, name)
        return list(found) if isinstance(found, tuple) else [found] if found else []


@cache
def taxa() -> dict[str, Taxon]:
    """Everything the reference knows, by its identifier."""
    species, genera, families = [], [], {}
    for line in files("updraft.standins").joinpath("species.txt").read_text(encoding="utf-8").splitlines():
        if not line or line.startswith("#"):
            continue
        family, genus, origin, epithets = (part.strip() for part in line.split("|"))
        families[family] = Taxon(f"LB-F{len(families) + 1:03d}", family, "family", family)
        genera.append(Taxon(f"LB-G{len(genera) + 1:03d}", genus, "genus", family, genus, origin))
        for text in epithets.split(","):
            text, _, synonyms = text.partition("~")
            epithet, _, common = (part.strip() for part in text.partition("="))
            species.append(
                Taxon(
                    f"LB-{len(species) + 1001:05d}", f"{genus} {epithet}", "species", family, genus, origin,
                    common, tuple(name.strip() for name in synonyms.split(";") if name.strip()),
                )
            )  # fmt: skip
    return {taxon.id: taxon for taxon in (*species, *genera, *families.values())}


def make_botany() -> Flask:
    """The reference's web service: / (manifest, queries, data extension), /suggest/…, /properties, /card."""
    app = Flask(__name__)

    @app.route("/", methods=["GET", "POST"])
    def root() -> Any:
        queries, extend = request.values.get("queries"), request.values.get("extend")
        if queries:
            asked = json.loads(queries)
            return jsonify({key: {"result": _candidates(query)} for key, query in asked.items()})
        if extend:
            return jsonify(_extended(json.loads(extend)))
        return jsonify(_manifest(request.host_url))

    @app.get("/suggest/entity")
    def suggest() -> Any:
        found = _candidates({"query": request.args.get("prefix", ""), "limit": 10})
        return jsonify(result=[{**one, "notable": one["type"]} for one in found])

    @app.get("/properties")
    def properties() -> Any:
        return jsonify(properties=[{"id": key, "name": name} for key, name in PROPERTIES.items()])

    @app.get("/card/<key>")
    def card(key: str) -> Response:
        taxon = taxa().get(key)
        if taxon is None:
            return Response("Nothing of this identifier.", 404)
        lines = [f"{name}: {', '.join(taxon.values(key))}" for key, name in PROPERTIES.items()]
        text = "".join(f"<p>{escape(line)}</p>" for line in lines)
        return Response(f"<h1>{escape(taxon.name)}</h1>{text}")

    return app


def _manifest(here: str) -> dict[str, Any]:
    return {
        "versions": ["0.2"],
        "name": "Larkmoor botanical reference",
        "identifierSpace": SPACE,
        "schemaSpace": f"{SPACE}terms/",
        "defaultTypes": [{"id": key, "name": name} for key, name in TYPES.items()],
        "view": {"url": f"{SPACE}{{{{id}}}}"},
        "preview": {"url": f"{here}card/{{{{id}}}}", "width": 320, "height": 200},
        "suggest": {"entity": {"service_url": here.rstrip("/"), "service_path": "/suggest/entity"}},
        "extend": {"propose_properties": {"service_url": here.rstrip("/"), "service_path": "/properties"}},
    }


def _candidates(query: dict[str, Any]) -> list[dict[str, Any]]:
    """The likeliest for a query, the best first; beyond doubt only what stands alone."""
    text, kind = str(query.get("query", "")), query.get("type") or ""
    found = []
    for taxon in taxa().values():
        if kind and taxon.type != kind:
            continue
        score = _score(text, taxon)
        for evidence in query.get("properties") or ():
            score += _evidence(evidence, taxon)
        if score >= _LEAST:
            found.append((min(round(score, 1), 100.0), taxon))
    found.sort(key=lambda one: (-one[0], one[1].name))
    alone = len(found) == 1 or (len(found) > 1 and found[0][0] - found[1][0] >= 4)
    return [
        {
            "id": taxon.id,
            "name": taxon.name,
            "score": score,
            "match": place == 0 and score >= _SURE and alone,
            "type": [{"id": taxon.type, "name": TYPES[taxon.type]}],
            "description": ", ".join(filter(None, [taxon.common, taxon.family, taxon.origin])),
        }
        for place, (score, taxon) in enumerate(found[: int(query.get("limit") or 5)])
    ]


def _score(text: str, taxon: Taxon) -> float:
    plain = text.casefold().strip()
    bare = _AUTHOR.sub("", text).casefold().strip()
    names = [(taxon.name, 0), *((name, 2) for name in taxon.synonyms), (taxon.common, 2)]
    return max(
        max(fuzz.ratio(one, name.casefold()) for one in (plain, bare)) - less for name, less in names if name
    )


def _evidence(evidence: dict[str, Any], taxon: Taxon) -> float:
    """Up to 3 points for a value that agrees, as many less for one that does not."""
    said = evidence.get("v")
    said = said.get("name", "") if isinstance(said, dict) else said
    if not said or evidence.get("pid") not in PROPERTIES:
        return 0
    known = taxon.values(evidence["pid"])
    agrees = any(fuzz.ratio(str(said).casefold(), one.casefold()) > 88 for one in known)
    return 3 if agrees else -8


def _extended(asked: dict[str, Any]) -> dict[str, Any]:
    properties = [one["id"] for one in asked.get("properties", ())]
    cells: Callable[[str, str], list[dict[str, str]]] = lambda key, name: (  # noqa: E731
        [{"str": text} for text in taxa()[key].values(name)] if key in taxa() and name in PROPERTIES else []
    )
    return {
        "meta": [{"id": name, "name": PROPERTIES.get(name, name)} for name in properties],
        "rows": {key: {name: cells(key, name) for name in properties} for key in asked.get("ids", ())},
    }
