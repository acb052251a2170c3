"""What leaves by other ways than a file or a database: reports, mail, requests, linked data."""

import json
import mailbox
from datetime import date
from email import policy
from email.parser import BytesParser
from io import BytesIO
from types import SimpleNamespace

import openpyxl
import polars as pl
import pytest
from pypdf import PdfReader
from rdflib import XSD, Graph, Literal, URIRef

from tests.core.test_services import server
from tests.core.test_writing import LOTS, written
from updraft.core.connect import MailFolder, Outside, WebService
from updraft.core.connect.mail import messages
from updraft.core.deliver import Effect, Outlet
from updraft.core.deliver.committing import key_of
from updraft.core.linked.vocabularies import search
from updraft.core.report.pdf import write_pdf
from updraft.core.steps import kinds

HUBS = pl.DataFrame(
    {"hub": ["Fen", "Fen", "Dale"], "mail": ["f@hub.example", "f@hub.example", "d@hub.example"], "n": [1, 2, 3]}
)


def sample(folder, kind: str, settings: dict, table=LOTS) -> str:
    made = kinds()[kind].Settings.model_validate(settings)
    return kinds()[kind].sample(table, made, Outlet("out", folder, Outside(), file=lambda name: folder / name)).text


@pytest.fixture
def outbox(tmp_path):
    mailbox.Maildir(tmp_path / "outbox", create=True)
    return tmp_path / "outbox", MailFolder(name="Outbox", path=str(tmp_path / "outbox"), writes=True)


MAIL = {
    "connection": "Outbox", "by": ["hub"], "sender": "desk@larkmoor.example", "to": "{mail}, office@larkmoor.example",
    "subject": "Lots of {hub}", "text": "Dear {hub},\nhere they are: {{n}}.", "name": "lots {hub}",
}  # fmt: skip


def test_a_message_for_each_group_with_its_rows(tmp_path, outbox):
    folder, connection = outbox
    report = written(tmp_path, MAIL, HUBS, "send_mail", Outside({"Outbox": connection}))
    assert report.status == "ok" and report.effects[0].final, report.error
    box = mailbox.Maildir(folder)
    found = [BytesParser(policy=policy.default).parsebytes(box.get_bytes(key)) for key in box.iterkeys()]
    by = {message["subject"]: message for message in found}
    assert sorted(by) == ["Lots of Dale", "Lots of Fen"]
    fen = by["Lots of Fen"]
    assert fen["to"] == "f@hub.example, office@larkmoor.example" and fen["date"] and fen["message-id"]
    assert fen.get_body().get_content() == "Dear Fen,\nhere they are: {n}.\n"
    [attached] = fen.iter_attachments()
    assert attached.get_filename() == "lots Fen.xlsx"
    sheet = openpyxl.load_workbook(BytesIO(attached.get_content()))["Rows"]
    assert [row[2].value for row in sheet.iter_rows(min_row=2)] == [1, 2]
    assert "To: f@hub.example" in sample(tmp_path, "send_mail", MAIL, HUBS)


@pytest.mark.parametrize(
    "change, said",
    [
        ({"to": "{hub}"}, "“Fen” is no mail address"),
        ({"to": "x@y.example\nBcc: z@y.example"}, "is no mail address"),
        ({"subject": "{lost}"}, "not in the table"),
        ({"connection": "Read"}, "may only read through it"),
        ({"connection": "Gone"}, "is not a mail folder"),
    ],
)
def test_mail_that_cannot_be_sent_is_not_sent_at_all(tmp_path, outbox, change, said):
    folder, connection = outbox
    others = {
        "Outbox": connection,
        "Read": connection.model_copy(update={"name": "Read", "writes": False}),
        "Gone": connection.model_copy(update={"name": "Gone", "path": str(tmp_path / "gone")}),
    }
    report = written(tmp_path, {**MAIL, **change}, HUBS, "send_mail", Outside(others))
    assert report.status == "failed" and said in str(report.error), report.error
    assert not list(mailbox.Maildir(folder).keys())


def test_rows_are_sent_to_a_service_one_by_one_or_many_at_a_time(tmp_path):
    got: list[tuple[str, object]] = []

    def answer(path, headers):
        place, _, body = path.partition(" ")
        got.append((place, json.loads(body)))
        sent = {name.lower(): value for name, value in headers.items()}
        assert sent["content-type"] == "application/json" and sent["idempotency-key"]
        return 201, {"Content-Type": "application/json"}, b"{}"

    with server(answer) as (url, allow):
        outside = Outside({"Shop": WebService(name="Shop", url=url, writes=True)}, allow=allow)
        one = {"connection": "Shop", "path": "stock/{hub}/x", "columns": ["n"]}
        table = HUBS.with_columns(hub=pl.Series(["a b", "c/d", "é"]), sown=date(2026, 3, 1))
        report = written(tmp_path, one, table, "send_to_web_service", outside)
        assert report.status == "ok" and report.effects[0].final, "it cannot be taken back, and leaves last"
        assert got == [("/stock/a%20b/x", {"n": 1}), ("/stock/c%2Fd/x", {"n": 2}), ("/stock/%C3%A9/x", {"n": 3})]
        got.clear()
        many = {
            "connection": "Shop",
            "path": "bulk",
            "each": "many",
            "size": 2,
            "columns": ["n", "sown"],
            "inside": "rows",
        }
        assert written(tmp_path, many, table, "send_to_web_service", outside).status == "ok"
        rows = [{"n": n, "sown": "2026-03-01"} for n in (1, 2, 3)]
        assert got == [("/bulk", {"rows": rows[:2]}), ("/bulk", {"rows": rows[2:]})]
    assert sample(tmp_path, "send_to_web_service", one, table).startswith('POST stock/a%20b/x\n{\n  "n": 1\n}')


def test_a_request_that_is_refused_says_how_far_it_came(tmp_path):
    asked: list[str] = []

    def answer(path, headers):
        asked.append(path)
        return (200 if len(asked) < 3 else 400), {"Content-Type": "application/json"}, b'{"error": "no such lot"}'

    with server(answer) as (url, allow):
        outside = Outside({"Shop": WebService(name="Shop", url=url, writes=True)}, allow=allow)
        settings = {"connection": "Shop", "path": "stock"}
        report = written(tmp_path, settings, HUBS, "send_to_web_service", outside)
        assert report.status == "failed" and len(asked) == 3
        assert "request 3 of 3; 2 before it were sent" in str(report.error) and "no such lot" in str(report.error)
        read_only = Outside({"Shop": WebService(name="Shop", url=url)}, allow=allow)
        for change, said, place in (
            ({}, "may only read", read_only),
            ({"path": "{mail}"}, "empty there", outside),
            ({"path": "{hub}", "each": "all"}, "many rows go in one", outside),
        ):
            table = HUBS.with_columns(mail=pl.lit(None, pl.String))
            report = written(tmp_path, {**settings, **change}, table, "send_to_web_service", place)
            assert report.status == "failed" and said in str(report.error), report.error
        assert len(asked) == 3


TEMPLATE = """<h1>{{ title }}</h1>{% for row in rows %}<p style="{{ shade(row.grams, 0, 2) }}">{{ row.lot }}: {{ row.grams|number(1) }} ·
{{ row["sown"]|date("D.M.YYYY") }}</p>{% endfor %}{{ bars(rows, "lot", "packets") }}{{ first.hub }}"""


def test_a_report_for_each_group_from_a_template(tmp_path):
    (tmp_path / "t.html").write_text(TEMPLATE)
    settings = {"template": "t.html", "by": ["hub"], "title": "Hub {hub}", "name": "report {hub}.pdf"}
    report = written(tmp_path, settings, kind="fill_report")
    assert report.status == "ok", report.error
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == ["report Dale.pdf", "report Fen.pdf"]
    [page] = PdfReader(tmp_path / "out/report Fen.pdf").pages
    text = page.extract_text()
    assert "Hub Fen" in text and "GZ-1: 1.5 · 1.3.2026" in text and 'é; "x"' in text and "BL-2" not in text
    html = sample(tmp_path, "fill_report", settings)
    assert 'style="background: #9cc6c3"' in html and html.count("<rect") == 1 and ">empty<" in html
    few = written(tmp_path, {**settings, "first": 1, "name": "one.html", "title": "<b>"}, kind="fill_report")
    assert [made.path.name for made in few.outputs] == ["one.html"]
    assert "<h1>&lt;b&gt;</h1>" in (tmp_path / "out/one.html").read_text()


def test_a_report_needs_no_template_and_names_do_not_clash(tmp_path):
    odd = LOTS.with_columns(hub=pl.Series(["a/b", "A-B", None]))
    assert written(tmp_path, {"by": ["hub"], "name": "r {hub}.pdf"}, odd, "fill_report").status == "ok"
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == ["r A-B (2).pdf", "r a-b.pdf", "r empty.pdf"]
    assert "2026-03-01" in PdfReader(tmp_path / "out/r a-b.pdf").pages[0].extract_text()


@pytest.mark.parametrize(
    "text, said",
    [
        ("{{ rows[0].hubb }}", "asks for a column “hubb”, and the table has none. Did you mean “hub”?"),
        ("a\n{% for %}", "line 2 cannot be read"),
        ("{{ nothing }}", "'nothing' is undefined"),
        ("{{ rows.__class__.__mro__ }}", "may not use"),
        ("{{ rows[0].__init__ }}", "may not use"),
        ("{{ ''.__class__ }}", "may not use"),
        ("{% for n in range(10**9) %}x{% endfor %}", "Range too big"),
        (
            "{% for a in range(9999) %}{% for b in range(9999) %}xxxxxxxxxxxxxxxxxxxxxx{% endfor %}{% endfor %}",
            "more than 20 MB",
        ),
        ("{% include '/etc/passwd' %}", "no loader"),
        ("{{ first.lot / 2 }}", "unsupported operand"),
        ("{% if 1 %}" * 1000 + "x" + "{% endif %}" * 1000, "too deep"),
        ("{{ " + "(" * 1000 + "1" + ")" * 1000 + " }}", "too deep"),
        ("{% for n in [1] %}" * 30 + "x" + "{% endfor %}" * 30, "too deep"),
    ],
)
def test_a_template_that_cannot_be_filled_says_why(tmp_path, text, said):
    (tmp_path / "t.html").write_text(text)
    report = written(tmp_path, {"template": "t.html"}, kind="fill_report")
    assert report.status == "failed" and said in str(report.error), report.error
    assert report.error.thing == "t.html" and not (tmp_path / "out/report.pdf").exists()


def test_a_report_fetches_nothing(tmp_path):
    asked = []

    def answer(path, headers):
        asked.append(path)
        return 200, {}, b""

    with server(answer) as (url, _):
        (tmp_path / "t.html").write_text(
            f'<img src="{url}x.png"><img src="file:///etc/hostname"><link rel=stylesheet href="{url}s.css">ok'
        )
        assert written(tmp_path, {"template": "t.html"}, kind="fill_report").status == "ok"
    assert not asked and "ok" in PdfReader(tmp_path / "out/report.pdf").pages[0].extract_text()


BASE = "https://larkmoor.example/lot/"
LINKED = {
    "subject": BASE + "{lot}",
    "type": "schema:Product",
    "statements": [
        {"term": "schema:name", "column": "lot", "language": "en"},
        {"term": "lm:grams", "column": "grams"},
        {"term": "schema:datePublished", "column": "sown"},
        {
            "term": "http://purl.org/dc/terms/isPartOf",
            "value": "address",
            "address": "https://larkmoor.example/hub/{hub}",
        },
        {"term": "lm:tested", "column": "tested"},
        {"term": "lm:packets", "column": "packets"},
    ],
    "prefixes": [{"prefix": "lm", "address": "https://larkmoor.example/terms/"}],
}


@pytest.mark.parametrize("name, form", [("lots.ttl", "turtle"), ("lots.jsonld", "json-ld")])
def test_a_table_becomes_a_graph(tmp_path, name, form):
    assert written(tmp_path, {**LINKED, "name": name}, kind="write_linked_data").status == "ok"
    graph = Graph().parse(tmp_path / "out" / name, format=form)
    lot, lm = URIRef(f"{BASE}GZ-1"), "https://larkmoor.example/terms/"
    about = {(str(p), o) for p, o in graph.predicate_objects(lot)}
    assert about == {
        ("http://www.w3.org/1999/02/22-rdf-syntax-ns#type", URIRef("https://schema.org/Product")),
        ("https://schema.org/name", Literal("GZ-1", lang="en")),
        (f"{lm}grams", Literal("1.5", datatype=XSD.double)),
        ("https://schema.org/datePublished", Literal("2026-03-01", datatype=XSD.date)),
        ("http://purl.org/dc/terms/isPartOf", URIRef("https://larkmoor.example/hub/Fen")),
        (f"{lm}tested", Literal(True)),
        (f"{lm}packets", Literal("3", datatype=XSD.integer)),
    }
    odd = URIRef(f"{BASE}%C3%A9;%20%22x%22%0A")
    assert len(set(graph.subjects())) == 3 and len(list(graph.predicate_objects(odd))) == 6


def test_what_linked_data_lacks_is_said(tmp_path):
    for change, said in (
        ({"subject": ""}, "it is empty"),
        ({"subject": BASE + "{lut}"}, "Did you mean “lot”?"),
        ({"type": "schemata:Product"}, "the prefix “schemata” is not known"),
        ({"type": "Product"}, "it is no term"),
        ({"name": "lots.rdf"}, "neither .ttl nor .jsonld"),
        ({"type": "", "statements": []}, "there is none yet"),
    ):
        report = written(tmp_path, {**LINKED, **change}, kind="write_linked_data")
        assert report.status == "failed" and said in str(report.error), report.error
    one = {**LINKED, "subject": BASE + "all", "name": "one.ttl"}
    assert written(tmp_path, one, kind="write_linked_data").status == "ok"
    assert set(Graph().parse(tmp_path / "out/one.ttl").subjects()) == {URIRef(BASE + "all")}
    few = LOTS.with_columns(lot=pl.Series(["a", None, "c"]))
    report = written(tmp_path, LINKED, few, "write_linked_data")
    assert report.status == "ok" and ("no_address", 1) in {
        (f.code, f.count) for step in report.steps for f in step.facts
    }
    assert len(set(Graph().parse(tmp_path / "out/things.ttl").subjects())) == 2


def test_terms_are_found_by_words_of_their_names():
    assert search("birth date", classes=False)[0].short == "schema:birthDate"
    assert "dwc:scientificName" in [term.short for term in search("scientific", classes=False)]
    assert all(term.is_class for term in search("person", classes=True)) and search("person", classes=True)[0].short in (
        "schema:Person", "foaf:Person", "prov:Person",
    )  # fmt: skip
    assert search("qqqq", classes=False) == []


def test_a_million_groups_are_refused_before_any_is_made(tmp_path, outbox):
    many = pl.DataFrame({"n": pl.int_range(1_000_000, eager=True)}).with_columns(mail=pl.lit("a@b.example"))
    shop = WebService(name="Shop", url="https://shop.example/", writes=True)
    outside = Outside({"Outbox": outbox[1], "Shop": shop})
    mail = {**MAIL, "by": ["n"], "subject": "x", "text": "", "name": "rows"}
    for kind, settings, said in (
        ("fill_report", {"by": ["n"]}, "1,000,000; 2,000 are the most"),
        ("send_mail", mail, "1,000,000; 2,000 are the most"),
        ("send_to_web_service", {"connection": "Shop"}, "1,000,000; 20,000 are the most"),
    ):
        report = written(tmp_path, settings, many, kind, outside)
        assert report.status == "failed" and said in str(report.error), report.error
    assert written(tmp_path, {"by": ["n"], "first": 2, "name": "{n}.html"}, many, "fill_report").status == "ok"
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == ["0.html", "1.html"]


def test_a_pdf_is_bold_only_where_it_is_meant(tmp_path):
    write_pdf("<p>Lots of March</p><p><b>Aldermere</b> šířka</p>", tmp_path / "lots.pdf", "Lots")
    (page,) = PdfReader(tmp_path / "lots.pdf").pages
    names = [font.get_object()["/BaseFont"].split("-")[-1] for font in page["/Resources"]["/Font"].values()]
    assert "Bold" in names and "Regular" in names


def test_a_delivery_is_known_by_its_run_its_step_its_place_and_its_content():
    """By that a run which repeats another leaves out what was delivered, and nothing else."""
    made = lambda series="a", step="s", to="x.csv", content="1": key_of(  # noqa: E731
        series, SimpleNamespace(step=step, content=content, effect=Effect(to, to, 1))
    )
    others = [made(series="b"), made(step="t"), made(to="y.csv"), made(content="2"), made(series="", step="as")]
    assert made() == made() and len({made(), *others}) == 6


def test_mail_without_a_chain_was_led_to_by_no_flow(outbox):
    folder, connection = outbox
    box = mailbox.Maildir(folder)
    keys = [
        box.add(b"From: a@hub.example\nSubject: lots\n\nhere"),
        box.add(b"From: a@hub.example\nX-Updraft-Chain: one, two\n\nhere"),
    ]
    assert [message.chain for message in messages(connection, keys)] == [frozenset(), frozenset({"one", "two"})]
