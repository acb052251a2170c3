"""Rules for the tests that hold them to one meaning, wherever they are worked out."""

from hypothesis import strategies as st


def rules_of(conditions: st.SearchStrategy) -> st.SearchStrategy:
    """One or two conditions, perhaps with a group of which any may hold."""
    return st.builds(
        lambda match, plain, group: {"match": match, "of": [*plain, {"match": "any", "of": group}] if group else plain},
        st.sampled_from(["all", "any"]),
        st.lists(conditions, min_size=1, max_size=2),
        st.lists(conditions, max_size=2),
    )
