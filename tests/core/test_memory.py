"""What is kept of a table's key is bounded in bytes, and what was used last stays."""

from dataclasses import dataclass

import polars as pl

from updraft.core.engine.memory import Memory, size_of


@dataclass
class Counted:
    frame: pl.DataFrame
    name: str


def test_memory_holds_so_many_bytes_and_lets_go_what_was_not_used_for_longest():
    rows = pl.Series(range(100_000))
    memory, made = Memory(3 * size_of(rows) + 100), []

    def get(name: str, thing=rows):
        return memory.get((name,), lambda: made.append(name) or thing)

    for name in ("a", "b", "c", "a", "d"):
        assert get(name) is rows
    assert made == ["a", "b", "c", "d"]
    assert get("a") is rows and made[-1] == "d", "it was used after b"
    get("b")
    assert made[-1] == "b", "it made room for d"


def test_what_is_larger_than_all_the_room_is_given_and_not_kept():
    memory, rows = Memory(1000), pl.Series(range(100_000))
    memory.get(("small",), lambda: "text")
    assert memory.get(("large",), lambda: rows) is rows
    assert memory.get(("large",), lambda: "anew") == "anew"
    assert memory.get(("small",), lambda: "gone") == "text", "nothing went for what is not kept"


def test_sizes_follow_tables_wherever_they_stand():
    frame = pl.DataFrame({"x": range(10_000)})
    for held in (frame, [frame], {"frame": (frame, None)}, Counted(frame, "x")):
        assert 80_000 <= size_of(held) < 81_000
