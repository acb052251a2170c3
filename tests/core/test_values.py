"""Kinds decided from all values, and nothing lost on the way."""

import re
from datetime import date, datetime

import polars as pl
import pytest
from babel.dates import format_date
from babel.numbers import format_decimal
from hypothesis import example, given
from hypothesis import strategies as st
from tools import countries as tool_of_countries
from tools.languages import LANGUAGES, PLACE, text

from updraft.core import Problem
from updraft.core.similarity.countries import countries
from updraft.core.values import Kind, converted, decide, guess_format, is_blank
from updraft.core.values.dressed import CURRENCY, undressed


def kind(values: list[str | None]) -> Kind:
    _, (decision,) = decide(pl.DataFrame({"x": values}, schema={"x": pl.String}))
    return decision.kind


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        (["1", "2", None], Kind.WHOLE),
        (["-3", "0"], Kind.WHOLE),
        ([" 5", "6 "], Kind.WHOLE),
        (["1.5", "2"], Kind.NUMBER),
        (["0.30000000000000004"], Kind.NUMBER),
        (["1.5e3", "2e-05"], Kind.NUMBER),
        (
            ["0.1234567890123456789", "8.379031744168380369e-02"],
            Kind.NUMBER,
        ),  # a program's float, not a person's digits
        ([".25", "-.5", "3."], Kind.NUMBER),
        (["NA", "12", "-", "", "7", "9"], Kind.WHOLE),
        ([".", "1/13/2012", "2/3/2012", "3/4/2012"], Kind.DATE),
        (["Jan 1 2000", "Feb 12 2001"], Kind.DATE),
        (["05-Mar-12", "6-Apr-13"], Kind.DATE),
        (["2026-05-01T10:00:00Z"], Kind.DATETIME),
        (["2026-05-01T10:00Z", "2026-05-28T23:59Z"], Kind.DATETIME),
        (["01/Mar/2026:10:00:00 +0000", "11/Dec/2026:23:59:07 +0000"], Kind.DATETIME),
        (["1/13/2026 3:05 PM", "2/3/2026 11:10 AM"], Kind.DATETIME),
        (["9/30/1990 0:00:00", "1/2/1991 14:05:00"], Kind.DATETIME),
        (["3/9/26 7:05", "3/28/26 11:00"], Kind.DATETIME),
        (["9.3.2026 7:05", "28.11.2026 17:05"], Kind.DATETIME),
        (["28-MAR-26 7:05:00 AM", "01-APR-26 5:05:00 PM"], Kind.DATETIME),
        (["2026/3/1", "2026/11/30"], Kind.DATE),
        (["3-28-2026", "4-5-2026"], Kind.DATE),
        (["2026-03-01", None], Kind.DATE),
        (["31.03.26", "01.03.26"], Kind.DATE),
        (["31/05/2026", "05/06/2026"], Kind.DATE),
        (["1 Mar 2026"], Kind.DATE),
        (["2026-03-01 10:30:00"], Kind.DATETIME),
        (["yes", "No"], Kind.YES_NO),
        (["true", "false", None], Kind.YES_NO),
        # what stays text
        (["007", "12"], Kind.TEXT),
        (["1234567890123456"], Kind.TEXT),
        (["6E2", "7E1"], Kind.TEXT),
        (["NA", "NB", "NC"], Kind.TEXT),
        (["NA", "NA", "NA", "1"], Kind.TEXT),
        (["NA", "01", "02", "12"], Kind.TEXT),
        (["04/05/2026", "05/06/2026"], Kind.TEXT),
        (["04-05-2026", "05-06-2026"], Kind.TEXT),
        (["4/5/2026 7:05", "5/6/2026 17:05"], Kind.TEXT),
        (["2026-03-01", "31.03.26"], Kind.TEXT),
        (["1", "two"], Kind.TEXT),
        (["+5", "6"], Kind.TEXT),
        (["nan", "1"], Kind.TEXT),
        (["inf", "1"], Kind.TEXT),
        ([None, None], Kind.TEXT),
        (["2026-3-1", "2026-03-02"], Kind.DATE),
        (["26-03-01"], Kind.TEXT),
        (["-007"], Kind.TEXT),
        ([" "], Kind.TEXT),
    ],
)
def test_kinds_are_decided_from_all_values(values, expected):
    assert kind(values) is expected


def test_one_odd_value_far_down_keeps_the_column_text():
    assert kind([*map(str, range(5000)), "soon", *map(str, range(500))]) is Kind.TEXT
    assert kind([*map(str, range(1, 5000)), "007"]) is Kind.TEXT


def test_the_evidence_is_said():
    _, decisions = decide(pl.DataFrame({"a": ["007"], "b": ["04/05/2026"], "c": ["1"]}))
    assert "leading zeros" in decisions[0].evidence
    assert "DD/MM/YYYY and as MM/DD/YYYY alike" in decisions[1].evidence
    assert decisions[2].evidence == "all 1 values are whole numbers"


@given(
    st.lists(
        st.one_of(
            st.none(),
            st.integers(-(10**14), 10**14).map(str),
            st.floats(allow_nan=False, allow_infinity=False).map(repr),
            st.text(max_size=12),
            st.dates(date(1000, 1, 1)).map(str),
            st.sampled_from(["yes", "no", "", " "]),
        ),
        min_size=1,
        max_size=30,
    )
)
def test_deciding_never_loses_a_value(values):
    table = pl.DataFrame({"x": values}, schema={"x": pl.String})
    decided, (decision,) = decide(table)
    lost = {v for v, kept in zip(values, decided["x"], strict=True) if v is not None and kept is None}
    nothing = {"", "-", ".", "?", "–", "—", "na", "nan", "null", "nil", "none"}  # a text may happen to be one
    assert all(v.strip().lower() in nothing for v in lost)
    assert not lost or "are read as empty" in decision.evidence
    values = [None if v in lost else v for v in values]
    if decision.kind is Kind.WHOLE:
        assert decided["x"].cast(pl.String).to_list() == [v and v.strip() for v in values]
    elif decision.kind is Kind.NUMBER:
        assert decided["x"].to_list() == [v and float(v) for v in values]
    elif decision.kind is Kind.TEXT:
        assert decided["x"].to_list() == values


@given(
    st.lists(st.dates(date(1950, 1, 1), date(2049, 12, 31)), min_size=1, max_size=20),
    st.sampled_from(
        [
            ("YYYY-MM-DD", "%Y-%m-%d"),
            ("DD.MM.YYYY", "%d.%m.%Y"),
            ("DD/MM/YY", "%d/%m/%y"),
            ("Mon D, YYYY", "%b %-d, %Y"),
            ("YYYYMMDD", "%Y%m%d"),
        ]
    ),
)
def test_a_date_written_in_a_format_is_read_back(days, forms):
    form, written = forms
    table = pl.DataFrame({"x": [day.strftime(written) for day in days]})
    if "YY" in form and "YYYY" not in form:
        days = [day for day in days if 1970 <= day.year <= 2049]
        table = pl.DataFrame({"x": [day.strftime(written) for day in days]}, schema={"x": pl.String})
    assert table.select(converted("x", pl.String(), Kind.DATE, [form]))["x"].to_list() == days


def test_numbers_in_the_forms_of_other_countries():
    table = pl.DataFrame({"x": ["1.234,5", "12,5", "1 234,5", "1,234.5", "12.5.1", "abc", None]})
    read = table.select(
        a=converted("x", pl.String(), Kind.NUMBER, ["1.234,5"]),
        b=converted("x", pl.String(), Kind.NUMBER, ["1,234.5", "1 234,5"]),
    )
    assert read["a"].to_list() == [1234.5, 12.5, None, None, None, None, None]
    assert read["b"].to_list() == [None, 12.5, 1234.5, 1234.5, None, None, None]


def test_whole_numbers_by_a_form_take_no_fraction():
    read = pl.DataFrame({"x": ["1,234", "1,234.5"]}).select(converted("x", pl.String(), Kind.WHOLE, ["1,234.5"]))
    assert read["x"].to_list() == [1234, None]


def test_formats_are_guessed_as_the_fewest_that_read_the_most():
    values = pl.Series("x", ["2026-03-01"] * 5 + ["31.03.26", "1 Mar 2026", "?"])
    assert guess_format(values, Kind.DATE) == ["YYYY-MM-DD", "DD.MM.YY", "D Mon YYYY"]


def test_a_format_without_a_year_is_refused():
    with pytest.raises(Problem, match="where the year stands"):
        converted("x", pl.String(), Kind.DATE, ["day and month"])


def test_times():
    read = pl.DataFrame({"x": ["2026-03-01 10:30", "01.03.2026 08:00", "2026-03-01"]}).select(
        converted("x", pl.String(), Kind.DATETIME, ["YYYY-MM-DD hh:mm", "DD.MM.YYYY hh:mm", "YYYY-MM-DD"])
    )
    assert read["x"].to_list() == [datetime(2026, 3, 1, 10, 30), datetime(2026, 3, 1, 8), datetime(2026, 3, 1)]


@pytest.mark.parametrize(
    ("texts", "numbers", "expected"),
    [
        (["1.234,50", "12", "0,5"], None, [1234.5, 12.0, 0.5]),
        (["1,234.50", "12", "-1,000,000"], None, [1234.5, 12.0, -1_000_000.0]),
        (["1 234,5", "12,25"], None, [1234.5, 12.25]),
        (["1,234", "5,678"], None, None),  # either way round
        (["1,234", "5,678"], "comma", [1.234, 5.678]),
        (["1,234", "5,678"], "point", [1234.0, 5678.0]),
        (["1.234", "5.678"], "comma", [1234.0, 5678.0]),
        (["1.234,5", "1,234.5"], None, None),
    ],
)
def test_decimal_commas_and_thousands_marks_are_decided_by_all_values_or_left_open(texts, numbers, expected):
    frame, (decision,) = decide(pl.DataFrame({"x": texts}), numbers)
    assert frame["x"].to_list() == (expected or texts), decision.evidence
    assert decision.doubt == (texts == ["1,234", "5,678"] and numbers is None)


def test_what_stays_text_for_good_reason_is_doubted_and_plain_text_is_not():
    table = pl.DataFrame(
        {"a": ["007", "12"], "b": ["1234567890123456", "1"], "c": ["04/05/2026", "05/06/2026"], "d": ["x", "1"]}
    )
    frame, decisions = decide(table)
    assert frame.equals(table) and [d.doubt for d in decisions] == [True, True, True, False]


_LOOKS = r"""(?x)^(?P<open>\()?\s*(?P<sign>[-+−–])?\s*CURRENCY?\s*(?P<sign2>[-−–])?\s*
    (?P<number>[\d.,'\u00a0\u202f\ ]*\d)\s*(?:CURRENCY[.]?|(?P<unit>%|[^\W\d_]{1,8}\.?))?\s*(?P<close>\))?(?P<behind>[-−–])?$"""
_PIECES = ["(", ")", "-", "−", "+", "€", "EUR", "1", "23", "4.5", ",", "'", " ", "\u00a0", "%", "kg", "g.", "EURO", "."]


@example(["1€."])
@given(st.lists(st.lists(st.sampled_from(_PIECES), max_size=7).map("".join), min_size=1, max_size=30))
def test_a_dressed_number_is_taken_apart_as_its_groups_say(texts):
    """The groups of one expression are the plain way, and far too slow for a table."""
    looks = re.compile(_LOOKS.replace("CURRENCY", CURRENCY))

    def taken(text: str):
        found = looks.match(text.strip())
        if not found or bool(found["open"]) != bool(found["close"]):
            return None, None, None
        negative = bool(found["open"] or found["sign2"] or found["behind"] or found["sign"] not in (None, "+"))
        return found["number"].strip(), negative, (found["unit"] or "").removesuffix(".").lower()

    number, negative, unit = undressed(pl.col("x"))
    assert pl.DataFrame({"x": texts}).select(a=number, b=negative, c=unit).rows() == [taken(text) for text in texts]


DAYS = [date(2024, 3, 3), date(2023, 7, 14), date(2021, 5, 31), date(2022, 12, 1), date(2020, 8, 9)]


@pytest.mark.parametrize("language", LANGUAGES)
def test_dates_and_decimals_of_other_languages_are_read(language):
    for form, in_form in (
        ("d MMMM y", "D Month YYYY"),
        ("d. MMMM y", "D. Month YYYY"),
        ("EEEE, d MMMM y", "Weekday, D Month YYYY"),
    ):
        written = [format_date(day, form, locale=language) for day in DAYS]
        table, (decided,) = decide(pl.DataFrame({"sown": written}))
        assert table["sown"].to_list() == DAYS, (written, decided.evidence)
        again = pl.DataFrame({"sown": written}).select(converted("sown", pl.String(), Kind.DATE, [in_form]))
        assert again["sown"].to_list() == DAYS
    short = [format_date(day, "d MMM y", locale=language) for day in DAYS]
    assert (
        pl.DataFrame({"d": short}).select(converted("d", pl.String(), Kind.DATE, ["D Mon YYYY"]))["d"].to_list() == DAYS
    )
    amounts = [1234567.25, -0.5, 12.75, 999999.0]
    written = [format_decimal(one, locale=language) for one in amounts]
    table, (decided,) = decide(pl.DataFrame({"kg": written}))
    assert table["kg"].to_list() == amounts, (written, decided.evidence)


@pytest.mark.parametrize(
    "words, read",
    [
        (["ja", "Nein", "ja"], [True, False, True]),
        (["да", "нет"], [True, False]),
        (["si", "no", "si"], [True, False, True]),
        (["da", "no"], None),  # of two languages: codes, perhaps
        (["Si", "Fe"], None),
    ],
)
def test_yes_and_no_are_read_where_they_are_of_one_language(words, read):
    table, _ = decide(pl.DataFrame({"kept": words * 3}))
    assert table["kept"].to_list() == (words if read is None else read) * 3


@pytest.mark.parametrize("word", ["k.A.", "#WERT!", "s/d", "#Н/Д", "n.v.t.", "brak danych"])
def test_words_for_nothing_known_are_empty_among_numbers_and_words_among_words(word):
    table, (decided,) = decide(pl.DataFrame({"kg": ["1,5", word, "2,75", "3,5"]}))
    assert table["kg"].to_list() == [1.5, None, 2.75, 3.5] and word in decided.evidence
    table, _ = decide(pl.DataFrame({"note": ["dry", word, "wet"]}))
    assert table["note"].to_list() == ["dry", word, "wet"]


def test_the_names_of_months_and_days_are_those_that_the_tool_writes():
    assert PLACE.read_text("utf-8") == text()


def test_the_names_of_countries_are_those_that_the_tool_writes():
    assert tool_of_countries.PLACE.read_text("utf-8") == tool_of_countries.text()


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("Deutschland", "DE"), ("ALEMANIA", "DE"), ("Federal Republic of Germany", "DE"), ("DEU", "DE"),
        ("Congo, The Democratic Republic of the", "CD"), ("Dem Republic Congo", None), ("Congo", "CG"),
        ("Korea, Republic of", "KR"), ("Korea", None), ("UK", "GB"), ("is", None), ("IS", "IS"), ("IND", "IN"),
        ("St. Lucia", "LC"), ("Cote d’Ivoire", "CI"), ("中国", "CN"), ("Larkmoor", None), ("Republic of", None),
    ],
)  # fmt: skip
def test_a_country_is_told_by_any_name_that_no_other_one_has(text, code):
    assert countries([text, "France"]) == [code, "FR"]


# The white space of Unicode, and the blanks that have no width.
BLANKS = "\t\n\x0b\x0c\r \x85\xa0\u1680\u2000\u2007\u200a\u2028\u2029\u202f\u205f\u3000\u200b\ufeff"


@given(st.lists(st.none() | st.text(st.sampled_from(BLANKS + "\x00\x1f!~\x7f\x80ñЖ中\u200c"), max_size=4)))
def test_a_text_is_blank_where_it_has_no_other_sign_than_blanks(texts):
    table = pl.DataFrame({"it": texts}, schema={"it": pl.String})
    blank = table.select(is_blank("it", pl.String()))["it"].to_list()
    assert blank == [not text or set(text) <= set(BLANKS) for text in texts]
