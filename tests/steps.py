"""Steps at random, on a table of three columns of text and one of numbers."""

from hypothesis import strategies as st

COLUMNS = ["a", "b", "c", "n"]
TEXT = st.one_of(st.none(), st.sampled_from(["x", " x", "X ", "y", "é", "1", "02", ""]))
ROWS = st.lists(st.tuples(TEXT, TEXT, TEXT, st.one_of(st.none(), st.integers(-5, 5))), min_size=1, max_size=12)
NAME = st.sampled_from(COLUMNS)
TEXT_NAME = st.sampled_from(COLUMNS[:3])

STEPS = st.one_of(
    st.builds(
        lambda c, t, v, k: (k, {"by": "rule", "rule": {"of": [{"column": c, "test": t, "value": v}]}}),
        TEXT_NAME,
        st.sampled_from(["equals", "contains", "empty", "filled", "not_equals"]),
        st.sampled_from(["x", "y", "1"]),
        st.sampled_from(["keep_rows", "drop_rows"]),
    ),
    st.builds(
        lambda n, k: (k, {"by": "first", "count": n}), st.integers(0, 9), st.sampled_from(["keep_rows", "drop_rows"])
    ),
    st.builds(
        lambda c, case: ("tidy_text", {"columns": {"by": "names", "names": c}, "case": case}),
        st.lists(TEXT_NAME, min_size=1, unique=True),
        st.sampled_from(["keep", "upper"]),
    ),
    st.just(("tidy_text", {"accents": True})),
    st.builds(
        lambda c, new, fold: (
            "recode_values",
            {"column": c, "changes": [{"old": "x", "new": new}], "ignore_case": fold},
        ),
        TEXT_NAME,
        st.sampled_from(["z", ""]),
        st.booleans(),
    ),
    st.builds(
        lambda c, f: ("set_types", {"columns": [{"column": c, "type": "whole"}], "failing": f}),
        TEXT_NAME,
        st.sampled_from(["empty", "reject"]),
    ),
    st.builds(
        lambda k, s, f: ("remove_duplicates", {"keys": k, "stays": s, "ignore_case": f}),
        st.lists(NAME, max_size=2, unique=True),
        st.sampled_from(["first", "last", "fullest"]),
        st.booleans(),
    ),
    st.builds(
        lambda c, by, w: ("fill_gaps", {"columns": c, "by": by, "within": w}),
        st.lists(NAME, min_size=1, max_size=2, unique=True),
        st.sampled_from(["down", "up", "group"]),
        st.lists(NAME, min_size=1, max_size=1),
    ),
    st.builds(
        lambda c, d, t: (
            "set_values",
            {
                "columns": [c],
                "to": "empty",
                "rule": {"of": [{"column": d, "test": t, "value": "x", "values": ["x", "1"]}]},
            },
        ),
        NAME,
        TEXT_NAME,
        st.sampled_from(["equals", "none_of", "not_matches", "empty"]),
    ),
    st.builds(
        lambda c, n: ("mark_rows", {"name": f"{n} marked", "rule": {"of": [{"column": c, "test": "filled"}]}}),
        NAME,
        NAME,
    ),
    st.builds(lambda k, c: ("one_value_per_group", {"within": [k], "columns": [c]}), NAME, TEXT_NAME),
    st.builds(lambda c: ("split_column", {"column": c, "at": "x", "into": "rows"}), TEXT_NAME),
    st.builds(lambda n: ("drop_rows", {"by": n}), st.sampled_from(["blank", "header"])),
    st.builds(
        lambda c, down, e: ("sort_rows", {"order": [{"column": c, "down": down}], "empty": e}),
        NAME,
        st.booleans(),
        st.sampled_from(["first", "last"]),
    ),
    st.builds(
        lambda by, c, w, n: ("take_rows", {"by": by, "column": c, "within": w, "count": n}),
        st.sampled_from(["first", "last", "largest", "smallest", "random"]),
        NAME,
        st.lists(NAME, max_size=1),
        st.integers(0, 3),
    ),
    st.builds(lambda c, d: ("choose_columns", {"columns": [{"column": c}], "drop": [d], "others": "keep"}), NAME, NAME),
    st.builds(
        lambda k, b: (
            "look_up",
            {
                "keys": [{"column": k, "reference": "a"}],
                "bring": [{"column": b, "name": f"from {k} {b}"}],
                "many": "first",
            },
        ),
        TEXT_NAME,
        NAME,
    ),
)
LAST = st.one_of(
    st.none(),
    st.builds(
        lambda by, c: (
            "summarise",
            {
                "by": by,
                "figures": [{"figure": "rows"}, {"figure": "distinct", "column": c}, {"figure": "max", "column": c}],
            },
        ),
        st.lists(NAME, max_size=2, unique=True),
        NAME,
    ),
)
