"""Every type that can be read is written to every format; numbers, days and times as an output is set."""

from datetime import UTC, date, datetime, time, timedelta

import polars as pl
import pytest

from updraft.core.formats import read
from updraft.core.formats.write import write
from updraft.core.problems import Problem
from updraft.core.steps.outputs.forms import Forms

MOMENT = datetime(2026, 3, 1, 6, 0, 0)
TABLE = pl.DataFrame(
    {
        "whole": [2**60, None],
        "number": [1234.5, 3.0],
        "day": [date(2026, 3, 1), None],
        "time": [MOMENT, datetime(2026, 3, 1, 6, 0, 0, 250_000)],
        "utc": pl.Series([MOMENT.replace(tzinfo=UTC), None], dtype=pl.Datetime("us", "UTC")),
        "berlin": pl.Series([MOMENT.replace(tzinfo=UTC), None]).dt.convert_time_zone("Europe/Berlin"),
        "nano": pl.Series([MOMENT, None], dtype=pl.Datetime("ns")),
        "span": [timedelta(days=1, hours=2), None],
        "clock": [time(6, 30), None],
        "yes": [True, None],
        "list": [["a", "b"], None],
        "record": [{"a": 1}, None],
        "category": pl.Series(["x", None], dtype=pl.Categorical),
        "decimal": pl.Series(["1.50", None]).cast(pl.Decimal(10, 2)),
        "bytes": pl.Series([b"abc", None], dtype=pl.Binary),
        "nothing": [None, None],
    }
)


@pytest.mark.parametrize("name", TABLE.columns)
@pytest.mark.parametrize("ending", ["csv", "tsv", "xlsx", "json", "jsonl", "parquet", "arrow"])
def test_every_type_is_written_to_every_format_or_refused_in_words(tmp_path, name, ending):
    path = tmp_path / f"it.{ending}"
    try:
        write(TABLE.select(name), path)
    except Problem as problem:
        assert name == "bytes" and "holds bytes" in problem.reason
        return
    assert path.exists()
    if ending in ("csv", "xlsx") and name == "whole":
        assert str(read(path).frame["whole"][0]) == str(2**60), "not one digit is lost"


@pytest.mark.parametrize(
    ("name", "cell"),
    [
        ("time", "2026-03-01T06:00:00"),
        ("utc", "2026-03-01T06:00:00Z"),
        ("berlin", "2026-03-01T07:00:00+01:00"),
        ("nano", "2026-03-01T06:00:00"),
        ("span", "1d 2h"),
        ("number", "1234.5"),
    ],
)
def test_times_keep_their_offset_and_get_no_parts_of_a_second(tmp_path, name, cell):
    write(TABLE.select(name), tmp_path / "it.csv")
    assert (tmp_path / "it.csv").read_text().split("\n")[1] == cell


def test_an_output_says_how_numbers_days_and_times_are_written():
    forms = Forms(comma=True, dates="DD.MM.YYYY", times="D.M.YYYY hh:mm", zone="America/New_York")
    found = forms.of(TABLE).row(0, named=True)
    assert (found["number"], found["day"]) == ("1234,5", "01.03.2026")
    assert found["time"] == "1.3.2026 06:00", "what has no zone stays as its clock stands"
    assert found["utc"] == found["berlin"] == "1.3.2026 01:00"
    for wrong in (Forms(zone="Larkmoor/Fen"), Forms(dates="soon")):
        with pytest.raises(Problem, match=r"there is none|letters|where the year"):
            wrong.of(TABLE)


def test_a_step_writes_what_it_is_set_to(bench):
    settings = {"name": "it.csv", "decimal": "comma", "delimiter": ";", "dates": "DD.MM.YYYY"}
    assert bench.apply("write_file", settings, TABLE.select("day", "number")).frames[""].height == 2
    with pytest.raises(Problem, match="Time zone"):
        bench.apply("write_file", {**settings, "zone": "Nowhere"}, TABLE.select("berlin"))


def test_numbers_with_powers_of_ten_and_without_a_unit_are_taken_apart(bench):
    table = pl.DataFrame({"weight": ["1.213e+04", "4.1e-05 kg", "7", "3 kg", "n/a"]})
    chosen = {"column": "weight", "number": "n", "unit": "u", "without": "g"}
    done = bench.apply("number_and_unit", chosen, table).frames[""]
    assert done.select("n", "u").rows() == [(12130.0, "g"), (4.1e-05, "kg"), (7.0, "g"), (3.0, "kg"), (None, None)]
    whole = bench.apply("number_and_unit", chosen, table[2:4]).frames[""]
    assert whole["n"].to_list() == [7, 3] and whole["n"].dtype == pl.Int64, "whole numbers stay whole"


@pytest.mark.parametrize(
    ("comma", "texts", "numbers"),
    [
        (False, ["1,200 kg", "Rs. 1,10,100", "CHF 1'200.50", "٣٥ kg"], [1200, 110_100, 1200.5, 35]),
        (True, ["1.200 kg", "1 234,50 kg", "12,5 g"], [1200, 1234.5, 12.5]),
    ],
)
def test_a_number_is_taken_however_it_is_grouped(bench, comma, texts, numbers):
    chosen = {"column": "x", "number": "n", "unit": "u", "comma": comma}
    assert bench.apply("number_and_unit", chosen, pl.DataFrame({"x": texts})).frames[""]["n"].to_list() == numbers
