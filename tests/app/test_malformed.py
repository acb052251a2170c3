"""Whatever a request brings, the answer is a Problem in words: no route of the app fails on it."""

import io

import pytest
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from updraft.core.flow.edits import _Edit

TEXTS = st.one_of(
    st.sampled_from(
        [
            "",
            "name",
            "Lot",
            "r",
            "k",
            "0",
            "-1",
            "999999999999999999999",
            "a" * 300,
            "\0",
            "../../etc",
            "%",
            "[",
            "\ud800",
            "é\u202e",
        ]
    ),
    st.text(max_size=12),
)
LEAVES = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(10**30), 10**30),
    st.floats(),
    st.sampled_from([-1, 0, 1, 2**31, 2**63]),
    TEXTS,
)
OPS = [model.model_fields["op"].default for model in _Edit.__subclasses__()]
VALUES = st.recursive(
    LEAVES, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(TEXTS, inner, max_size=3), max_leaves=8
)
FIELDS = st.sampled_from(
    ["name", "edits", "op", "id", "step", "kind", "settings", "output", "key", "repair", "column", "value", "rule", "focus", "way", "revision", "cron", "zone", "watch", "parameters", "active", "old", "untested", "url", "secret", "folder", "path", "table", "query", "classes", "names", "rows", "steps", "search", "of", "position", "lanes", "to", "from_", "number", "columns", "inputs", "decided", "by", "filters", "items", "others", "request"]
)  # fmt: skip
EDITS = st.fixed_dictionaries(
    {"op": st.sampled_from(OPS)},
    optional={
        name: st.one_of(VALUES, st.just("type_in_a_table"))
        for name in [
            "id",
            "step",
            "settings",
            "name",
            "note",
            "kind",
            "after",
            "port",
            "ref",
            "input",
            "rows",
            "of",
            "revision",
            "flow",
            "ids",
            "key",
            "parameters",
        ]
    },
)
BODIES = st.one_of(
    VALUES, st.dictionaries(FIELDS, VALUES, max_size=5), st.lists(EDITS, max_size=3).map(lambda edits: {"edits": edits})
)
QUERIES = st.dictionaries(
    st.sampled_from(
        [
            "output",
            "offset",
            "limit",
            "sort",
            "desc",
            "before",
            "changed",
            "touched",
            "focus",
            "column",
            "other",
            "kind",
            "search",
            "order",
            "most",
            "bins",
            "log",
            "fine",
            "as",
            "name",
            "flow",
            "block",
            "revision",
            "classes",
            "table",
            "q",
        ]
    ),
    TEXTS.map(lambda text: text.encode("utf-8", "replace").decode()),
    max_size=4,
)
TABLE = {"columns": ["Lot", "Grams"], "rows": [["L1", "5"], ["L2", "7.5"], ["L3", ""]]}


@pytest.fixture
def routes(client):
    """Each route with what its address may hold: things that are there, and anything else."""
    flow = client.flow()
    added = client.post(
        f"/api/flows/{flow}/edits", {"edits": [{"op": "add", "step": {"kind": "type_in_a_table", "settings": TABLE}}]}
    )
    assert added.status_code == 200, added.json
    step = next(iter(added.json["steps"]))
    key = client.post(f"/api/flows/{flow}/look", {"step": step}).json["table"]["key"]
    known = {"flow_id": flow, "step_id": step, "key": key}
    rules = [
        (rule, method)
        for rule in sorted(client.app.url_map.iter_rules(), key=str)
        for method in sorted(rule.methods - {"HEAD", "OPTIONS"})
        if rule.endpoint != "static"
    ]
    return known, rules


def test_no_request_makes_the_app_fail(client, routes):
    known, rules = routes
    client.app.testing = False
    client.app.config["PROPAGATE_EXCEPTIONS"] = False
    failed: dict[str, str] = {}

    def asked(rule, method):
        held = {
            name: st.sampled_from([known[name]] * 4 + ["nothing", "é%00"])
            if name in known
            else st.sampled_from(["1", "0", "x"])
            for name in rule.arguments
        }

        # Each route on its own: all of them in one example would be more than a generator can make.
        @settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck), database=None)
        @given(st.fixed_dictionaries(held), BODIES, QUERIES)
        def ask(ids, body, query) -> None:
            path = rule.rule
            for name in rule.arguments:
                path = path.replace(f"<{name}>", ids[name]).replace(f"<int:{name}>", "1")
            answer = client.http.open(
                path,
                method=method,
                query_string=query,
                json=None if method == "GET" else body,
                headers={"X-CSRFToken": client.token},
            )
            if answer.status_code >= 500:
                failed.setdefault(f"{method} {rule.rule}", f"{query} {body!r:.300}")
            elif answer.status_code >= 400 and path.startswith("/api/"):
                assert answer.json["problem"]["reason"], path

        return ask

    for number, (rule, method) in enumerate(rules):
        seed(number)(asked(rule, method))()
    assert not failed, "\n".join(f"{route}: {what}" for route, what in failed.items())


@pytest.mark.parametrize("text", ["\ud800", "\udfff name"])
def test_half_a_sign_is_refused_wherever_it_stands(client, text):
    flow = client.flow()
    for path, body in (
        ("/api/flows", {"name": text}),
        (f"/api/flows/{flow}/edits", {"edits": [{"op": "describe", "name": text}]}),
        (f"/api/flows/{flow}/look", {"step": "s", "settings": {text: 1}}),
    ):
        answer = client.post(path, body)
        assert answer.status_code == 400 and "half a sign" in answer.json["problem"]["reason"], path


@pytest.mark.parametrize(
    "content", [b"", b"\xff\xfe\x00", b"{", b'"text"', b"[1]", b'{"edits": 5}', b'{"edits": [{"op": "add"}]}']
)
def test_a_body_that_is_none_is_said(client, content):
    flow = client.flow()
    for path in ("edits", "look", "files/detected", "schedules"):
        answer = client.http.post(
            f"/api/flows/{flow}/{path}",
            data=content,
            headers={"X-CSRFToken": client.token, "Content-Type": "application/json"},
        )
        assert 400 <= answer.status_code < 500 and answer.json["problem"]["way_out"], (path, answer.status_code)


def test_an_upload_without_a_file_or_name_is_said(client):
    flow = client.flow()
    for data in ({}, {"file": "text"}, {"file": (io.BytesIO(b"a,b\n1,2\n"), "")}):
        answer = client.http.post(f"/api/flows/{flow}/files", data=data, headers={"X-CSRFToken": client.token})
        assert answer.status_code == 422 and answer.json["problem"]["reason"]
