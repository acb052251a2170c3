"""What the server tells the page has the types that both sides are checked by, for every flow of the demo."""

import json
import subprocess
import sys
from pathlib import Path
from types import UnionType
from typing import Any, Literal, get_args, get_origin, get_type_hints, is_typeddict

from tests.app.test_looking import findings
from tests.app.test_web import settled
from updraft.core.steps import kinds
from updraft.serve import _furnish
from updraft.web.shown import contract
from updraft.web.views.pages import catalogue

ROOT = Path(__file__).resolve().parents[2]


def wrong(kind: Any, told: Any, at: str = "") -> list[str]:
    """Where what is told is not of a type: just these fields, however deep, neither one more nor one less."""
    origin, args = get_origin(kind), get_args(kind)
    if kind is Any:
        return []
    if is_typeddict(kind):
        fields = get_type_hints(kind)
        if not isinstance(told, dict) or not kind.__required_keys__ <= set(told) <= set(fields):
            return [f"{at} has {sorted(told) if isinstance(told, dict) else told}"]
        return [found for name, one in told.items() for found in wrong(fields[name], one, f"{at}.{name}")]
    if origin is UnionType:
        return [] if any(not wrong(one, told) for one in args) else [f"{at} is {told!r}"]
    if origin is Literal:
        return [] if told in args else [f"{at} is {told!r}"]
    if origin is list and isinstance(told, list):
        return [found for n, one in enumerate(told) for found in wrong(args[0], one, f"{at}[{n}]")]
    if origin is dict and isinstance(told, dict):
        return [found for name, one in told.items() for found in wrong(args[1], one, f"{at}[{name!r}]")]
    fitting = (int, float) if kind is float else kind
    return [] if origin is None and isinstance(told, fitting) else [f"{at} is {told!r}"]


def test_flows_looks_and_findings_are_told_as_the_page_is_checked_by(client):
    """Steps that reach outside have no connection here: what is wrong is told of them."""
    _furnish(client.studio.folders)
    flows = [one["id"] for one in client.studio.flows.list()]
    assert len(flows) >= 12
    seen = set()
    for flow in flows:
        state = settled(client, flow)
        assert not wrong(contract.FlowShown, state)
        for step, shown in state["steps"].items():
            look = client.post(f"/api/flows/{flow}/look", {"step": step}).json
            assert not wrong(contract.LookShown, look)
            seen |= {shown["status"], "table" if look["table"] else "none"}
            asked = client.call("GET", f"/api/flows/{flow}/steps/{step}/decisions").json
            assert not wrong(contract.DecisionsShown, asked)
            seen |= {"asked"} if asked["open"] else set()
            if shown["status"] == "fresh" and shown["kind"] == "read_file":
                found = findings(client, flow, step)
                assert not wrong(contract.FindingsShown, found)
                seen |= {"finding"} if found["findings"] else set()
    assert {"fresh", "problem", "blocked", "table", "none", "finding", "asked"} <= seen


def test_the_catalogue_of_kinds_is_told_so():
    told = json.loads(catalogue(tuple(kinds())))
    assert not wrong(list[contract.KindShown], told)
    for spoilt in ({**told[0], "more": 1}, {**told[0], "icon": None}, {**told[0], "ports": [{"name": "table"}]}):
        assert len(wrong(contract.KindShown, spoilt)) == 1


def test_the_types_of_the_page_are_written_anew_with_every_change():
    code = "from tools.write_types import page; import sys; sys.stdout.write(page())"
    done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True)
    written = ROOT / "src/updraft/web/static/js/contract.d.ts"
    assert written.read_text("utf-8") == done.stdout, "make docs"
