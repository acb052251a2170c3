"""Laws of what leaves a flow, and of answers that come from references: for any values, names and nonsense."""

import errno
import json
import re
from pathlib import Path
from types import SimpleNamespace
from urllib.parse import unquote
from xml.etree import ElementTree

import lxml.html
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rdflib import XSD, Graph, URIRef

from updraft.core.connect import WebService
from updraft.core.connect.reconciling import Query, Reference
from updraft.core.deliver.files import FileDelivery
from updraft.core.filling import Template
from updraft.core.linked.graph import Mapped, Statement, graph_of, written
from updraft.core.linked.vocabularies import expand, prefixes, search
from updraft.core.problems import Problem
from updraft.core.report.charts import bars
from updraft.core.report.fill import Report, shade
from updraft.core.steps.outputs.naming import made_plain, plain_name

TEXT = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=12)
CELL = st.none() | TEXT
ROWS = st.lists(st.tuples(CELL, CELL, st.none() | st.integers(-9, 9)), min_size=1, max_size=6)
PARTS = st.lists(st.tuples(st.booleans(), st.sampled_from(["a", "b c", "n"]), TEXT), max_size=5)


def table_of(rows) -> pl.DataFrame:
    return pl.DataFrame(rows, schema={"a": pl.String, "b c": pl.String, "n": pl.Int64}, orient="row")


@given(PARTS, ROWS)
def test_a_text_is_filled_as_plain_python_fills_it(parts, rows):
    text = "".join(
        f"{{{name}}}" if hole else fixed.replace("{", "{{").replace("}", "}}") for hole, name, fixed in parts
    )
    expected = []
    for a, b, n in rows:
        known = {"a": a, "b c": b, "n": None if n is None else str(n)}
        cells = [known[name] if hole else fixed for hole, name, fixed in parts]
        holes = [cell for cell, (hole, *_) in zip(cells, parts, strict=True) if hole]
        expected.append(None if not all(holes) else "".join(cell or "" for cell in cells))
    template = Template(text)
    assert template.filled(table_of(rows)) == expected
    first = dict(zip(("a", "b c", "n"), rows[0], strict=True))
    whole = [("" if first[name] is None else str(first[name])) if hole else fixed for hole, name, fixed in parts]
    assert template.of_first(table_of(rows)) == "".join(whole)


@given(ROWS)
def test_an_address_gives_the_value_back_and_is_one_address(rows):
    table = table_of(rows)
    graph = graph_of(table, Mapped(Template("https://x.example/{a}/of"), ("https://x.example/T",), ()), {})
    found = {
        unquote(str(subject)).removeprefix("https://x.example/").removesuffix("/of") for subject in graph.subjects()
    }
    assert found == {a for a, *_ in rows if a}
    assert all(re.fullmatch(r"https://x\.example/[A-Za-z0-9%\-._~!$'()*,;:@]+/of", str(s)) for s in graph.subjects())


VALUES = st.tuples(
    st.none() | TEXT, st.none() | st.integers(-(2**40), 2**40), st.none() | st.dates(), st.none() | st.booleans()
)


@pytest.mark.parametrize("form", ["turtle", "json-ld"])
@given(st.lists(VALUES, max_size=5))
def test_a_graph_that_is_read_again_says_what_the_table_says(form, rows):
    schema = {"t": pl.String, "n": pl.Int64, "d": pl.Date, "y": pl.Boolean}
    table = pl.DataFrame(rows, schema=schema, orient="row").with_row_index("id")
    base = "https://x.example/"
    said = tuple(Statement(base + name, name) for name in schema)
    again = Graph().parse(
        data=written(graph_of(table, Mapped(Template(base + "{id}"), (), said), {}), form), format=form
    )
    found = {}
    for subject, predicate, value in again:
        found[int(str(subject).removeprefix(base)), str(predicate).removeprefix(base)] = value
    expected = {
        (place, name): cell
        for place, row in enumerate(rows)
        for name, cell in zip(schema, row, strict=True)
        if cell is not None
    }
    assert found.keys() == expected.keys()
    for key, value in found.items():
        assert value.toPython() == expected[key]
        kinds = {"t": (None, XSD.string), "n": (XSD.integer,), "d": (XSD.date,), "y": (XSD.boolean,)}
        assert value.datatype in kinds[key[1]]


@given(TEXT)
def test_any_text_can_be_searched_and_any_term_found_can_be_written(text):
    for term in search(text, classes=False)[:5] + search(text, classes=True)[:5]:
        assert expand(term.short, {}, field="type") == term.iri and term.short.partition(":")[0] in prefixes()
    try:
        URIRef(expand(text, {}, field="type")).n3()
    except Problem as problem:
        assert problem.field == "type"


@given(TEXT)
def test_a_text_that_is_made_plain_is_a_name(text):
    name = f"{made_plain(text) or 'empty'}.pdf"
    assert plain_name(name) == name and (Path("/folder") / name).parent == Path("/folder")


@given(ROWS)
def test_a_page_shows_texts_and_never_becomes_what_they_hold(rows):
    table = table_of(rows).with_columns(a=pl.format("<script>{}</script>", pl.col("a").fill_null("")))
    page = Report("{% for row in rows %}<p>{{ row.a }}|{{ row['b c']|plain }}</p>{% endfor %}", "", table).filled(
        table, "t"
    )
    tree = lxml.html.fromstring(f"<div>{page}</div>")
    assert not tree.findall(".//script")
    shown = [p.text_content() for p in tree.findall(".//p")]
    assert [re.sub(r"\s+", " ", one) for one in shown] == [
        re.sub(r"\s+", " ", f"<script>{a or ''}</script>|{'' if b is None else b}") for a, b, _ in rows
    ]


@given(st.lists(st.tuples(TEXT, st.none() | st.floats(0, 100)), max_size=8), st.none() | st.sampled_from([50.0, 100.0]))
def test_bars_are_as_long_as_their_figures(pairs, most):
    rows = [{"name": name, "value": value} for name, value in pairs]
    drawn = ElementTree.fromstring(str(bars(rows, "name", "value", most)))
    widths = [float(bar.get("width")) for bar in drawn.iter("{http://www.w3.org/2000/svg}rect")]
    known = [value for _, value in pairs if value is not None]
    full = most or max(known, default=0) or 1
    assert len(widths) == len(known)
    room = float(drawn.get("width")) - 150 - 56
    for width, value in zip(widths, known, strict=True):
        assert abs(width - min(value / full, 1) * room) <= 0.051


@given(st.floats(0, 1), st.floats(0, 1))
def test_the_tint_grows_with_the_number(one, other):
    less, more = sorted((one, other))

    def red(value):
        return int(shade(value, 0.0, 1.0)[13:15], 16)

    assert red(less) >= red(more) and shade(None, 0, 1) == shade(1, 1, 1) == ""


JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-5, 5) | st.floats(allow_nan=False, allow_infinity=False) | st.text(max_size=4),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(
        st.sampled_from(["result", "id", "name", "type", "score", "match", "q0", "rows", "meta", "properties", "extend", "view", "url"]),
        inner,
        max_size=4,
    ),
    max_leaves=12,
)  # fmt: skip


class Nonsense:
    """A service that answers what it is told to."""

    connection = WebService(name="R", url="https://r.example/")
    outside = SimpleNamespace(tell=lambda text: None)

    def __init__(self, answers):
        self._answers = iter(answers)

    def ask(self, *_, **__):
        answer = next(self._answers)
        return SimpleNamespace(json=lambda: json.loads(json.dumps(answer)))


@settings(max_examples=500)
@given(JSON, JSON, JSON, JSON)
def test_whatever_a_reference_answers_is_understood_or_told(about, first, second, third):
    about = {**about, "name": "R"} if isinstance(about, dict) else about
    asked = (
        lambda reference: list(reference.candidates([Query("a", "t", (("p", "v"),))])),
        lambda reference: reference.types(["a"]),
        lambda reference: reference.properties("t"),
        lambda reference: reference.extend(["x"], ["p"]),
        lambda reference: reference.address("x"),
    )
    for ask in asked:
        try:
            ask(Reference(Nonsense([about, first, second, third])))
        except Problem as problem:
            assert "does not answer as a reference does" in problem.reason


def _full(path):
    path.write_bytes(b"half")
    raise OSError(errno.ENOSPC, "No space left on device")


def _wrapped(path):
    try:
        _full(path)
    except OSError as error:
        raise RuntimeError("the workbook could not be closed") from error


def _in_words(path):
    path.write_bytes(b"half")
    raise pl.exceptions.ComputeError("No space left on device (os error 28)")


@pytest.mark.parametrize("write", [_full, _wrapped, _in_words], ids=lambda one: one.__name__)
def test_a_disk_that_fills_is_said_whatever_writes_and_nothing_half_is_left(tmp_path, write):
    target = tmp_path / "out.xlsx"
    target.write_bytes(b"of yesterday")
    with pytest.raises(Problem, match="the disk is full") as told:
        FileDelivery(SimpleNamespace(step="w", content=""), "", target, write, 1)
    assert told.value.step == "w" and told.value.code == "cannot_write"
    assert [path.read_bytes() for path in tmp_path.iterdir()] == [b"of yesterday"]


def test_what_a_writer_says_itself_is_not_said_otherwise(tmp_path):
    def refuse(path):
        try:
            _full(path)
        except OSError:
            raise Problem("The template", "it has no mark.", "Add one.") from None

    with pytest.raises(Problem, match="it has no mark"):
        FileDelivery(SimpleNamespace(step="w", content=""), "", tmp_path / "out.xlsx", refuse, 1)
