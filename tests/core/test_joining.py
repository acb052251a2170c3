"""Join and Compare tables against plain Python, row by row."""

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Problem
from updraft.core.engine.table import compute
from updraft.core.steps import Tables, kinds

KEY = st.none() | st.sampled_from(["a", "A", "b", "c"])
HERE = {"k": pl.String, "x": pl.Int64}
THERE = {"id": pl.String, "x": pl.Int64, "y": pl.String}
MINE = st.lists(st.tuples(KEY, st.integers(0, 3)), max_size=6)
THEIRS = st.lists(st.tuples(KEY, st.integers(0, 3), st.sampled_from(["p", "q"])), max_size=6)
PAIR = [{"column": "k", "reference": "id"}]


def frame(rows, schema) -> pl.DataFrame:
    return pl.DataFrame(rows, schema=schema, orient="row")


def meet(kind: str, table: pl.DataFrame, other: pl.DataFrame, **settings):
    found = kinds()[kind]
    made = found.Settings.model_validate({"keys": PAIR, **settings})
    return compute(found, made, Tables.of(table.lazy(), reference=other.lazy()), None)


@given(MINE, THEIRS, st.sampled_from(["inner", "left", "right", "full", "only"]), st.booleans())
def test_a_join_is_what_two_loops_make(mine, theirs, rows, fold):
    def same(a, b):
        return a is not None and b is not None and (a.lower() == b.lower() if fold else a == b)

    pairs = [(m, [t for t in theirs if same(m[0], t[0])]) for m in mine]
    alone = [t for t in theirs if not any(same(m[0], t[0]) for m in mine)]
    expected = []
    for m, found in pairs:
        if rows == "only":
            expected += [] if found else [m]
            continue
        expected += [(*m, *t[1:]) for t in found]
        if not found and rows in ("left", "full"):
            expected.append((*m, None, None))
    if rows in ("right", "full"):
        expected += [(t[0], None, *t[1:]) for t in alone]
    done = meet("join", frame(mine, HERE), frame(theirs, THERE), rows=rows, ignore_case=fold)
    assert done.lazy().collect().rows() == expected
    assert done.lazy().collect().columns == ["k", "x"] + ([] if rows == "only" else ["x 2", "y"])
    assert done.frames["unmatched"].rows() == [m for m, found in pairs if not found]
    assert done.frames["unmatched_other"].rows() == alone
    counts = {fact.code: fact.count for fact in done.facts}
    assert counts.get("repeated", 0) == sum(len(found) > 1 for _, found in pairs)
    assert counts.get("unmatched", 0) == sum(not found for _, found in pairs)


def test_a_join_takes_columns_of_any_name():
    here = frame([("a", 1)], HERE)
    there = pl.DataFrame({"id": ["a"], "row": [1], "often": [2], "key0": [3], "hit": [4]})
    assert meet("join", here, there).lazy().collect().row(0) == ("a", 1, 1, 2, 3, 4)


def test_a_join_takes_and_names_columns_of_either_side():
    here, there = frame([("a", 1)], HERE), frame([("a", 2, "p")], THERE)
    chosen = [{"column": "x", "name": "theirs"}, {"column": "id", "name": ""}]
    assert meet("join", here, there, keep=["x"], bring=chosen).lazy().collect().to_dicts() == [
        {"x": 1, "theirs": 2, "id": "a"}
    ]
    with pytest.raises(Problem, match="two columns of this name"):
        meet("join", here, there, bring=[{"column": "x"}])
    with pytest.raises(Problem, match="1 row has several matches"):
        meet("join", here, frame([("a", 2, "p"), ("a", 3, "q")], THERE), repeated="stop")
    with pytest.raises(Problem, match="so they never meet"):
        meet("join", here, there, keys=[{"column": "x", "reference": "y"}])


@given(
    st.lists(st.tuples(KEY, st.integers(0, 3), st.none() | st.sampled_from([1.0, 1.05, 2.0])), max_size=5),
    st.lists(st.tuples(KEY, st.integers(0, 3), st.none() | st.sampled_from([1.0, 1.05, 2.0])), max_size=5),
    st.sampled_from([0.0, 0.1]),
)
def test_compared_tables_tell_every_difference(mine, theirs, tolerance):
    schema = {"k": pl.String, "x": pl.Int64, "w": pl.Float64}
    first = {k: (x, w) for k, x, w in reversed(mine)}
    second = {k: (x, w) for k, x, w in reversed(theirs)}

    def far(a, b):
        return (a is None) != (b is None) or (a is not None and abs(a - b) > tolerance)

    order = list(dict.fromkeys(row[0] for row in mine)) + [
        key for key in dict.fromkeys(row[0] for row in theirs) if key not in first
    ]
    states, cells = [], []
    for key in order:
        here, there = first.get(key), second.get(key)
        if here is None or there is None:
            states.append((key, "only here" if there is None else "only there"))
            cells.append((key, states[-1][1], None))
            continue
        differing = [name for name, a, b in zip("xw", here, there, strict=True) if far(a, b)]
        states.append((key, "differs" if differing else "same"))
        cells += [(key, "differs", name) for name in differing]
    tables = frame(mine, schema), frame(theirs, schema)
    settings = {"keys": [{"column": "k", "reference": "k"}], "tolerance": tolerance}
    wide = meet("compare_tables", *tables, shape="rows", same=True, **settings)
    assert wide.lazy().select("k", "Status").collect().rows() == states
    assert wide.lazy().collect().columns == [
        "k",
        "Status",
        "x",
        "x there",
        "x difference",
        "w",
        "w there",
        "w difference",
    ]
    told = meet("compare_tables", *tables, **settings)
    assert told.lazy().select("k", "Status", "Column").collect().rows() == cells
    counts = {fact.code: fact.count for fact in told.facts}
    for state in ("only here", "only there", "differs", "same"):
        assert counts.get(state.replace(" ", "_"), 0) == [s for _, s in states].count(state)
    doubled = sum([row[0] for row in mine].count(row[0]) > 1 for row in mine)
    assert counts.get("double_keys0", 0) == doubled


def test_cells_show_what_stood_here_and_there_as_people_read_it():
    here = pl.DataFrame({"k": [1], "n": [5.0], "yes": [True]})
    there = pl.DataFrame({"k": [1.0], "n": [7], "yes": ["no"]})
    told = meet("compare_tables", here, there, keys=[{"column": "k", "reference": "k"}])
    assert told.lazy().collect().to_dicts() == [
        {"k": 1, "Status": "differs", "Column": "n", "Here": "5", "There": "7", "Difference": -2.0},
        {"k": 1, "Status": "differs", "Column": "yes", "Here": "yes", "There": "no", "Difference": None},
    ]


ASKED = pl.DataFrame(
    {
        "no": [1, 2, 3, 4, 5],
        "grams": [100.0, 100.0, 50.0, None, 7.0],
        "on": ["2026-03-01", "2026-03-01", "2026-03-09", "2026-03-02", "2026-03-02"],
        "hub": ["Fen", " fen", "Moor", "Moor", "Ash"],
    }
).with_columns(pl.col("on").str.to_date())
SENT = pl.DataFrame(
    {
        "no": [1, 2, 3, 4, 6],
        "weight": [104.0, 110.0, 50.0, 3.0, 1.0],
        "on": ["2026-03-03", "2026-03-02", "2026-03-09", "2026-03-02", "2026-03-02"],
        "hub": ["Fen", "Fen", "moor", "Moor", "Ash"],
    }
).with_columns(pl.col("on").str.to_date())
BY_NO = [{"column": "no", "reference": "no"}]
GRAMS = {"column": "grams", "reference": "weight", "within": 5, "unit": "percent"}


def test_each_column_may_differ_by_what_is_said_of_it():
    rules = [
        GRAMS,
        {"column": "on", "within": 1, "unit": "days"},
        {"column": "hub", "ignore_case": True, "ignore_blanks": True},
    ]
    told = meet("compare_tables", ASKED, SENT, keys=BY_NO, allowed=rules, order="largest")
    assert told.lazy().select("no", "Status", "Column", "Here", "There", "Difference").collect().rows() == [
        (2, "differs", "grams", "100", "110", -10.0),
        (1, "differs", "on", "2026-03-01", "2026-03-03", -2.0),
        (4, "differs", "grams", None, "3", None),
        (5, "only here", None, None, None, None),
        (6, "only there", None, None, None, None),
    ]  # fmt: skip
    assert told.frames["by_column"].rows() == [
        ("grams", 4, 2, 1, 0, 10.0, -10.0), ("on", 4, 1, 0, 0, 2.0, -2.0), ("hub", 4, 0, 0, 0, None, None)
    ]  # fmt: skip
    for side, rows in (("different", [1, 2, 4]), ("same", [3]), ("only_here", [5]), ("only_there", [6])):
        assert told.frames[side]["no"].to_list() == rows
    opened = {fact.code: (fact.count, fact.side) for fact in told.facts}
    assert opened == {
        "differs": (3, "different"), "same": (1, "same"), "only_here": (1, "only_here"), "only_there": (1, "only_there")
    }  # fmt: skip
    exact = meet("compare_tables", ASKED, SENT, keys=BY_NO, columns=["hub"], ignore_case=True)
    assert exact.lazy().collect()["no"].to_list() == [2, 5, 6], "blanks still count"


@given(st.decimals(-9999, 9999, places=2), st.decimals(-9999, 9999, places=2))
def test_differences_have_the_digits_of_what_is_compared(a, b):
    here, there = (pl.DataFrame({"no": [1], "v": [float(value)]}) for value in (a, b))
    told = meet("compare_tables", here, there, keys=BY_NO, shape="rows", same=True).lazy().collect()
    assert told["v difference"].item() == float(a - b)
    within = meet("compare_tables", here, there, keys=BY_NO, tolerance=float(abs(a - b)))
    assert within.height == 0, "what differs by just as much as is allowed does not differ"


@pytest.mark.parametrize(
    ("rules", "said"),
    [
        ([{"column": "hub", "within": 2}], "it is of type text in one of the tables"),
        ([{"column": "on", "within": 2, "unit": "percent"}], "it is of type date"),
        ([{"column": "grams"}], "it is not in the table that comes in"),
        ([GRAMS, GRAMS], "two lines say"),
        ([{"column": ""}], "none is chosen yet"),
    ],
)
def test_what_cannot_differ_so_is_said(rules, said):
    with pytest.raises(Problem, match=said):
        meet("compare_tables", ASKED, SENT, keys=BY_NO, allowed=rules)


@given(MINE, THEIRS)
def test_what_met_nothing_on_either_side_and_each_with_each(mine, theirs):
    met = {m for m, *_ in mine if m is not None} & {t for t, *_ in theirs}
    alone = [(*m, None, None) for m in mine if m[0] not in met]
    others = [(t[0], None, *t[1:]) for t in theirs if t[0] not in met]
    tables = frame(mine, HERE), frame(theirs, THERE)
    assert meet("join", *tables, rows="apart").lazy().collect().rows() == alone + others
    assert meet("join", *tables, rows="only_other").lazy().collect().rows() == others
    each = meet("join", *tables, rows="cross", keys=[])
    assert each.lazy().collect().rows() == [(*m, *t) for m in mine for t in theirs]
    assert each.lazy().collect().columns == ["k", "x", "id", "x 2", "y"]


def test_each_with_each_stops_where_it_would_be_too_many():
    here, there = frame([("a", 1)] * 4, HERE), frame([("a", 2, "p")] * 3, THERE)
    with pytest.raises(Problem, match="12 rows would be added, and 11 are the most"):
        meet("join", here, there, rows="cross", keys=[], most=11)


def test_a_join_that_would_be_too_large_stops_before_it_is_made():
    many = frame([("a", n) for n in range(30_000)], HERE)
    others = frame([("a", n, "p") for n in range(30_000)], THERE)
    with pytest.raises(Problem, match="899,970,000 rows would be added, and 50,000,000 are the most"):
        meet("join", many, others)
    few = frame([("a", 1), ("b", 2), ("b", 2), ("c", 3)], HERE), frame([("b", 2, "p")] * 3, THERE)
    assert meet("join", *few, rows="left", most=4).height == 8
    with pytest.raises(Problem, match="4 rows would be added, and 3 are the most"):
        meet("join", *few, rows="left", most=3)


def test_accents_may_be_left_out_of_account():
    here, there = frame([("Gemüse", 1), ("Ångström", 2)], HERE), frame([("GEMUSE", 7, "p")], THERE)
    for kind, more in (("join", {}), ("look_up", {"bring": [{"column": "y"}]})):
        found = meet(kind, here, there, ignore_case=True, ignore_accents=True, **more).lazy().collect()
        assert found["y"].to_list() == (["p"] if kind == "join" else ["p", None])


TIMED = st.lists(st.tuples(KEY, st.none() | st.integers(0, 9)), max_size=7)


@given(
    TIMED, TIMED, st.sampled_from(["before", "after", "either"]), st.sampled_from([0, 2]), st.booleans(), st.booleans()
)
def test_the_nearest_row_is_the_one_a_loop_finds(mine, theirs, side, within, keyed, days):
    def far(a, b):
        if a is None or b is None or (within and abs(a - b) > within):
            return None
        return abs(a - b) if side == "either" or (b <= a if side == "before" else b >= a) else None

    expected = []
    for row, (key, at) in enumerate(mine):
        fits = [
            # Of two as near the one before; of equal ones the last before, the first after.
            (far(at, there), there > at, -n if there <= at and side != "after" else n, n)
            for n, (its, there) in enumerate(theirs)
            if (not keyed or (key is not None and key == its)) and far(at, there) is not None
        ]
        expected.append((row, min(fits)[3] if fits else None))
    here = frame([(n, *row) for n, row in enumerate(mine)], {"n": pl.Int64, "k": pl.String, "at": pl.Int64})
    there = frame([(*row, n) for n, row in enumerate(theirs)], {"id": pl.String, "when": pl.Int64, "m": pl.Int64})
    if days:
        start = pl.lit("2026-03-01").str.to_date()
        here, there = (
            table.with_columns((start + pl.duration(days=name)).dt.date().alias(name))
            for table, name in ((here, "at"), (there, "when"))
        )
    settings = {"by": "nearest", "near": "at", "near_reference": "when", "side": side, "within": within, "rows": "left"}
    found = meet("join", here, there, keys=PAIR if keyed else [], bring=[{"column": "m"}], **settings)
    assert found.lazy().select("n", "m").collect().rows() == expected
    used = {m for _, m in expected if m is not None}
    assert found.frames["unmatched_other"]["m"].to_list() == [n for n in range(len(theirs)) if n not in used]


RANGES = st.lists(st.tuples(KEY, st.none() | st.integers(0, 9), st.none() | st.integers(0, 9)), max_size=6)


@given(TIMED, RANGES, st.booleans(), st.sampled_from(["inner", "left"]))
def test_rows_meet_the_ranges_in_which_they_lie(mine, ranges, keyed, rows):
    expected = []
    for row, (key, at) in enumerate(mine):
        fits = [
            n
            for n, (its, low, high) in enumerate(ranges)
            if at is not None
            and (low is None or low <= at)
            and (high is None or at <= high)
            and (not keyed or (key is not None and key == its))
        ]
        expected += [(row, n) for n in fits] or ([(row, None)] if rows == "left" else [])
    here = frame([(n, *row) for n, row in enumerate(mine)], {"n": pl.Int64, "k": pl.String, "at": pl.Int64})
    schema = {"id": pl.String, "low": pl.Int64, "high": pl.Int64, "m": pl.Int64}
    there = frame([(*row, n) for n, row in enumerate(ranges)], schema)
    settings = {"by": "range", "near": "at", "start": "low", "end": "high", "rows": rows}
    found = meet("join", here, there, keys=PAIR if keyed else [], bring=[{"column": "m"}], **settings)
    assert found.lazy().select("n", "m").collect().rows() == expected


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"near": ""}, "a column is not chosen yet"),
        ({"near": "k"}, "only numbers and dates are nearer"),
        ({"near": "x", "near_reference": "day"}, "is compared with whole number"),
        ({"near": "x", "near_reference": "gone"}, "it is not in the table"),
    ],
)
def test_what_is_not_nearer_is_said(wrong, said):
    here, there = frame([("a", 1)], HERE), frame([("a", 2, "p")], THERE)
    there = there.with_columns(pl.lit("2026-03-01").str.to_date().alias("day"))
    with pytest.raises(Problem, match=said):
        meet("join", here, there, **{"by": "nearest", "near_reference": "x", **wrong})
