"""Letters and digits of the world: what is compared as one is one, and what differs stays apart; numbers and dates."""

import sys
import unicodedata
from datetime import date, timedelta

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core.figures.patterns import pattern_of_text
from updraft.core.formula import compile_formula
from updraft.core.insight import apply_repair, find
from updraft.core.letters import plain, plain_text, unmarked, unmarked_text, western_digits
from updraft.core.similarity.families import Ways, by_name, proposed
from updraft.core.values import Kind
from updraft.core.values.convert import INDIAN, converted
from updraft.core.values.decide import decide
from updraft.core.values.meaning import number_in

ZEROS = [
    sign for sign in map(chr, range(0x80, sys.maxunicode + 1)) if unicodedata.decimal(sign, None) == 0
]  # of all scripts


def in_digits(text: str, zero: str) -> str:
    return "".join(chr(ord(zero) + int(sign)) if sign.isascii() and sign.isdigit() else sign for sign in text)


def read(text: str, kind: Kind, *formats: str):
    return pl.Series([text]).to_frame("t").select(converted("t", pl.String(), kind, formats))["t"][0]


@given(st.sampled_from(ZEROS), st.integers(-(10**15), 10**15), st.integers(0, 999))
def test_a_number_is_the_same_in_the_digits_of_any_script(zero, whole, thousandths):
    assert read(in_digits(str(whole), zero), Kind.WHOLE) == whole
    text = in_digits(f"{whole % 10**9}.{thousandths:03}", zero)
    assert read(text, Kind.NUMBER) == float(f"{whole % 10**9}.{thousandths:03}")
    assert pl.DataFrame({"t": [text]}).select(number_in(pl.col("t")))["t"][0] == read(text, Kind.NUMBER)


@given(st.sampled_from(ZEROS), st.dates(date(1700, 1, 1), date(2400, 1, 1)))
def test_a_date_is_the_same_in_the_digits_of_any_script(zero, day):
    assert read(in_digits(f"{day:%d/%m/%Y}", zero), Kind.DATE, "DD/MM/YYYY") == day


@given(st.lists(st.none() | st.text(max_size=6) | st.sampled_from(["٣ كغ", "1٬234٫5", "５％", "x"]), max_size=8))
def test_only_what_holds_other_digits_is_written_anew(texts):
    series = pl.Series(texts, dtype=pl.String)
    for before, after in zip(series, western_digits(series), strict=True):
        if before is None or not any(s in "٫٬٪" or (s.isdecimal() and not s.isascii()) for s in before):
            assert after == before
        else:
            assert [unicodedata.decimal(s, s) for s in before if s.isdecimal()] == [
                int(s) for s in after if s.isdecimal()
            ]
    assert western_digits(pl.Series(["1٬234٫5", "５％"])).to_list() == ["1,234.5", "5%"]


@given(st.text(max_size=12))
def test_texts_and_columns_are_compared_alike(text):
    made = pl.DataFrame({"t": [text]}).select(unmarked(pl.col("t")).alias("u"), plain(pl.col("t")).alias("p"))
    assert (made["u"][0], made["p"][0]) == (unmarked_text(text), plain_text(text))
    assert unmarked_text(unmarked_text(text)) == unmarked_text(text)


@pytest.mark.parametrize(
    ("one", "other"),
    [("राम", "रीमा"), ("राम", "रमा"), ("かき", "かぎ"), ("はな", "ぱな"), ("สี", "สา"), ("កា", "កី"), ("가나", "한국")],
)
def test_names_that_differ_in_a_vowel_or_in_voicing_are_two(one, other):
    assert unmarked_text(one) != unmarked_text(other)
    assert families([one] * 5 + [other] * 2) == []


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("Łódź", "Lodz"), ("Tromsø", "Tromso"), ("Đà Nẵng", "Da Nang"), ("Diyarbakır", "DİYARBAKIR"), ("محمد", "مُحَمَّد"),
        ("القاهرة", "القاهره"), ("الإسكندرية", "الاسكندرية"), ("Straße", "STRASSE"), ("１２３ Street", "123 street"),
    ],
)  # fmt: skip
def test_names_that_differ_in_marks_alone_are_one_for_sure(one, other):
    assert families([one] * 5 + [other] * 2) == [({one: 5, other: 2}, True)]


def families(values: list[str]) -> list[tuple[dict[str, int], bool]]:
    ways = Ways(letters=True, words=True, slips=True)
    found = by_name(*proposed(pl.LazyFrame({"name": values}), "name", ways, lambda key, make: make()))
    return [(one.spellings, one.sure) for one in found]


def test_columns_of_a_file_are_read_in_the_digits_and_dates_of_their_land():
    days = [date(2024, 1, 9) + timedelta(days=37 * n) for n in range(20)]
    eras = [f"令和{day.year - 2018}年{day.month}月{day.day}日" for day in days]
    table = pl.DataFrame(
        {
            "kg": [in_digits(str(n * 37), "٠") for n in range(20)],
            "code": [in_digits(f"{n:03}", "०") for n in range(20)],
            "day": [in_digits(f"{day:%d/%m/%Y}", "٠") for day in days],
            "era": ["平成31年4月30日", "昭和元年12月25日", *eras[2:]],
            "han": [f"{day.year}年{day.month}月{day.day}日" for day in days],
            "hangul": [f"{day.year}년 {day.month}월 {day.day}일" for day in days],
            "other": [in_digits(f"{1404 + n % 2}/{n % 12 + 1:02}/{n % 28 + 1:02}", "۰") for n in range(20)],
            "release": [f"R{n % 9 + 1}.{n % 12 + 1}.{n + 1}" for n in range(20)],
        }
    )
    made, decisions = decide(table)
    assert made["kg"].to_list() == [n * 37 for n in range(20)]
    assert [made[name].to_list() == days for name in ("day", "han", "hangul")] == [True] * 3
    assert made["era"].to_list() == [date(2019, 4, 30), date(1926, 12, 25), *days[2:]]
    told = {one.column: one for one in decisions}
    assert told["kg"].evidence.endswith("in digits of another script")
    assert {name for name, one in told.items() if one.kind is Kind.TEXT} == {"code", "other", "release"}
    assert told["code"].doubt and "calendar" in told["other"].evidence
    assert read("R8.5.24", Kind.DATE, "Era.M.D") == date(2026, 5, 24)


def test_a_word_with_vowel_signs_is_one_word():
    table = pl.DataFrame({"name": ["राजेश कुमार", "กิ่ง", "Jose\u0301 Rey"]})
    made = table.select(
        pattern_of_text(pl.col("name")).alias("pattern"),
        compile_formula("initials(name)", {"name": Kind.TEXT}).expr.alias("initials"),
    )
    assert made.rows() == [("a a", "रक"), ("a", "ก"), ("a a", "JR")]


def indian(number: int) -> str:
    """By hundreds above the thousands."""
    high, low = f"{number // 1000}", f"{number % 1000:03}"
    pairs = [high[max(0, at - 2) : at] for at in range(len(high), 0, -2)][::-1]
    return f"{','.join(pairs)},{low}" if number >= 1000 else str(number)


@given(st.integers(0, 10**12), st.integers(0, 99), st.sampled_from("'’"))
def test_numbers_are_read_as_they_are_grouped_in_india_and_in_switzerland(whole, hundredths, mark):
    cents = f".{hundredths:02}"
    expected = float(f"{whole}{cents}")
    assert read(indian(whole) + cents, Kind.NUMBER, INDIAN) == expected
    swiss = f"{whole:,}".replace(",", mark)
    assert read(swiss + cents, Kind.NUMBER, "1'234.5") == expected
    texts = [indian(whole) + cents, swiss + cents]
    assert pl.DataFrame({"t": texts}).select(number_in(pl.col("t")))["t"].to_list() == [expected] * 2
    assert read(f"{whole:,}", Kind.WHOLE, INDIAN) == (None if whole >= 10**5 else whole)


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("CHF 1’100.—", 1100), ("-1'100.--", -1100), ("100,- €", 100), ("Rs. 1,10,100", 110100), ("Rs.1,100.50", 1100.5),
        ("(Rs. 5)", -5), ("1.100,50 €", 1100.5), ("٪٥", 5), ("%-12,5", -12.5), (".5", 0.5), ("100-", -100),
    ],
)  # fmt: skip
def test_amounts_mean_the_number_in_them(text, number):
    assert pl.DataFrame({"t": [text]}).select(number_in(pl.col("t")))["t"][0] == number


def test_columns_of_amounts_are_numbers_or_said_to_be():
    table = pl.DataFrame(
        {
            "swiss": [f"{n * 13 + 1}'{n + 100}.{n + 10}" for n in range(40)],
            "india": [indian(110_100 + 11_001 * n) for n in range(40)],
            "rupees": [f"Rs. {indian(110_100 + 11_001 * n)}" for n in range(40)],
            "francs": [f"CHF {n + 1}’{n + 100}.—" for n in range(40)],
        }
    )
    made, _ = decide(table)
    assert made["swiss"].to_list() == [(n * 13 + 1) * 1000 + n + 100 + (n + 10) / 100 for n in range(40)]
    assert made["india"].to_list() == [110_100 + 11_001 * n for n in range(40)]
    assert {one.code for one in find(made)} == {"number_writing"}
    mended = made
    for finding in find(made):
        mended, _ = apply_repair(mended, finding.repairs[0])
    assert mended["rupees"].to_list() == made["india"].to_list()
    assert mended["francs"].to_list() == [(n + 1) * 1000 + n + 100 for n in range(40)]
