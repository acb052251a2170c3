"""The cache of tables: what is let go first, and that saving looks at no more than it must."""

import threading

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from updraft.core import Engine, Files, Flow, Step, Table, TableCache
from updraft.core.engine import cache as module
from updraft.core.steps.joins.look_up import LookUp


def table(n: int, rows: int = 1000) -> Table:
    return Table(f"{n:032x}", {"": pl.DataFrame({"x": range(rows)})}, {"": rows})


def on_disk(folder) -> set[int]:
    return {int(path.stem, 16) for path in folder.glob("*.json")}


def test_drafts_are_let_go_before_tables_of_the_flow_whatever_was_used_last(tmp_path):
    cache = TableCache(tmp_path, disk_bytes=40_000)
    cache.put(table(0), wait=True)
    cache.put(table(1), wait=True, draft=True)
    cache.put(table(2), wait=True, draft=True)
    cache.settle(table(2).fingerprint)
    for n in (3, 4):
        cache.put(table(n), wait=True)
    assert 1 not in on_disk(tmp_path) and {0, 2, 3} <= on_disk(tmp_path)


def test_a_cache_without_a_folder_lets_tables_go_too():
    cache = TableCache(None, memory_bytes=20_000)
    for n in range(9):
        cache.put(table(n))
    assert cache.get(table(0).fingerprint) is None and cache.get(table(8).fingerprint) is not None


def test_what_an_earlier_process_left_counts_and_goes_first(tmp_path):
    earlier = TableCache(tmp_path)
    for n in range(4):
        earlier.put(table(n), wait=True)
    later = TableCache(tmp_path, disk_bytes=45_000)
    assert later.get(table(0).fingerprint).height == 1000, "used again, so it is no longer the oldest"
    for n in (7, 8):
        later.put(table(n), wait=True)
    assert 1 not in on_disk(tmp_path) and {0, 7, 8} <= on_disk(tmp_path)
    assert not [path for path in tmp_path.iterdir() if path.name.startswith(f"{1:032x}")], "no file of it stays"


def test_tables_beyond_what_may_wait_for_the_writer_stay_in_memory(tmp_path):
    cache = TableCache(tmp_path, waiting_bytes=1)
    for n in range(30):
        cache.put(table(n, 20_000))
    cache.flush()
    assert 0 in on_disk(tmp_path) and len(on_disk(tmp_path)) < 30
    assert all(cache.get(table(n).fingerprint) is not None for n in range(30))


@given(st.lists(st.tuples(st.integers(0, 9), st.booleans()), max_size=25), st.integers(20_000, 90_000))
def test_files_stay_under_the_limit_and_the_newest_is_there(tmp_path_factory, saves, limit):
    folder = tmp_path_factory.mktemp("cache")
    cache = TableCache(folder, disk_bytes=limit)
    for n, draft in saves:
        cache.put(table(n), wait=True, draft=draft)
        assert n in on_disk(folder)
        assert sum(path.stat().st_size for path in folder.iterdir()) <= max(limit, 12_000)


def there(cache: TableCache, *numbers: int) -> list[int]:
    return [n for n in numbers if cache.get(table(n).fingerprint) is not None]


def test_of_tables_in_memory_the_one_used_longest_ago_goes_first():
    cache = TableCache(None, memory_bytes=int(2.5 * table(0).size()))
    cache.put(table(0))
    cache.put(table(1))
    assert there(cache, 0) == [0], "used again"
    cache.put(table(2))
    assert there(cache, 0, 1, 2) == [0, 2]


def test_small_tables_in_memory_are_bounded_by_their_number(monkeypatch):
    monkeypatch.setattr(module, "MOST_HELD", 3)
    cache = TableCache(None)
    for n in range(5):
        cache.put(table(n, 1))
    assert there(cache, *range(5)) == [2, 3, 4]


def test_what_waits_for_the_writer_stays_in_memory_and_has_no_place_yet(tmp_path):
    cache, gate = TableCache(tmp_path, memory_bytes=1), threading.Event()
    cache._writer.submit(gate.wait, 20)
    for n in (0, 1):
        cache.put(table(n))
    assert there(cache, 0, 1) == [0, 1] and cache.place(table(0).fingerprint, "") is None
    gate.set()
    cache.flush()
    assert cache.place(table(0).fingerprint, "").exists() and cache.place(table(7).fingerprint, "") is None
    cache.put(table(2), wait=True)
    assert list(cache._held) == [table(2).fingerprint], "now that they are on disk, memory is kept to its bound"


def test_what_is_let_go_counts_no_more(tmp_path):
    cache = TableCache(tmp_path, memory_bytes=int(2.5 * table(0).size()))
    for n in range(2):
        cache.put(table(n), wait=True)
    cache.shrink()
    for n in (2, 3):
        cache.put(table(n), wait=True)
    for path in tmp_path.iterdir():
        path.unlink()
    assert there(cache, 0, 1, 2, 3) == [2, 3], "from memory alone"


def test_a_table_on_disk_that_is_read_again_is_the_newest(tmp_path):
    TableCache(tmp_path).put(table(9), wait=True)
    size = sum(path.stat().st_size for path in tmp_path.iterdir())
    cache = TableCache(tmp_path, disk_bytes=4 * size)
    for n in (0, 1, 2):
        cache.put(table(n), wait=True)
    assert on_disk(tmp_path) == {0, 1, 2, 9}, "as many as just fit"
    cache.shrink()
    assert there(cache, 9, 0) == [9, 0]
    cache.put(table(3), wait=True)
    cache.put(table(4), wait=True)
    assert on_disk(tmp_path) == {9, 0, 3, 4}


def test_a_table_put_again_is_the_newest_in_memory_and_on_disk(tmp_path):
    TableCache(tmp_path).put(table(9), wait=True)
    size = sum(path.stat().st_size for path in tmp_path.iterdir())
    cache = TableCache(tmp_path, disk_bytes=3 * size, memory_bytes=int(2.5 * table(0).size()))
    for n in (0, 1, 0):
        cache.put(table(n), wait=True)
    assert on_disk(tmp_path) == {0, 1, 9}, "as many as just fit"
    cache.put(table(2), wait=True)
    cache.put(table(3), wait=True)
    assert on_disk(tmp_path) == {0, 2, 3}, "of 9, 1, 0 those used longest ago are gone"
    only = TableCache(None, memory_bytes=int(2.5 * table(0).size()))
    for n in (0, 1, 0, 2):
        only.put(table(n))
    assert there(only, 0, 1, 2) == [0, 2]


def test_a_table_that_was_read_stays_though_its_files_go(tmp_path):
    TableCache(tmp_path).put(table(0), wait=True)
    cache = TableCache(tmp_path)
    assert there(cache, 0) == [0]
    for path in tmp_path.iterdir():
        path.unlink()
    assert there(cache, 0) == [0], "from memory, where it was put when it was read"


def test_a_table_that_cannot_be_saved_leaves_nothing_half_written(tmp_path, monkeypatch):
    replace, cache = module.os.replace, TableCache(tmp_path)

    def full(old, new):
        if str(new).endswith(".json"):
            raise OSError(28, "No space left on device")
        replace(old, new)

    monkeypatch.setattr(module.os, "replace", full)
    cache.put(table(0), wait=True)
    assert not [path.name for path in tmp_path.iterdir() if path.name.startswith(".")]
    assert there(cache, 0) == [0], "it is still in memory"


def test_scratch_files_hide_nothing_of_what_an_earlier_process_left(tmp_path):
    for n in range(20):
        (tmp_path / f".{n}.arrow").write_bytes(b"x")
    earlier = TableCache(tmp_path)
    for n in range(6):
        earlier.put(table(n), wait=True)
    kept = 3 * sum(path.stat().st_size for path in tmp_path.glob(f"{0:032x}*"))
    TableCache(tmp_path, disk_bytes=kept).put(table(7), wait=True)
    assert on_disk(tmp_path) == {4, 5, 7}


@pytest.mark.parametrize("harm", ["cut", "other", "gone", "about"])
def test_a_damaged_table_is_none_and_is_cleared_away(tmp_path, harm):
    TableCache(tmp_path).put(table(0), wait=True)
    file, about = tmp_path / f"{0:032x}.arrow", tmp_path / f"{0:032x}.json"
    content = file.read_bytes()
    if harm == "cut":
        file.write_bytes(content[: len(content) // 2])
    elif harm == "other":
        file.write_bytes(content.replace(b"\x07\x00\x00\x00\x00\x00\x00\x00", b"\x08\x00\x00\x00\x00\x00\x00\x00", 1))
    elif harm == "gone":
        file.unlink()
    else:
        about.write_text("{")
    cache = TableCache(tmp_path)
    assert cache.get(table(0).fingerprint) is None
    cache.put(table(0), wait=True)
    cache.shrink()
    assert cache.get(table(0).fingerprint).frames[""].lazy().collect()["x"].to_list() == list(range(1000))


def test_look_ups_chained_onto_themselves_apply_each_step_once(tmp_path, bench, monkeypatch):
    calls, apply = [], LookUp.apply
    monkeypatch.setattr(LookUp, "apply", lambda *args: calls.append(1) or apply(*args))
    pl.DataFrame({"Lot": ["a", "b"], "Hub": ["Fen", "Dale"]}).write_ipc(tmp_path / "t.arrow")
    steps = [Step(id="s0", kind="test_source", settings={"path": "t.arrow"})]
    for n in range(1, 13):
        settings = {
            "keys": [{"column": "Lot", "reference": "Lot"}],
            "bring": [{"column": "Hub", "name": f"Hub {n}"}],
            "many": "first",
        }
        before = f"s{n - 1}"
        steps.append(Step(id=f"s{n}", kind="look_up", settings=settings, inputs={"table": before, "reference": before}))
    engine, files = Engine(), Files(tmp_path)
    found = engine.look(engine.plan(Flow(steps=tuple(steps)), files), "s12", files)
    assert found.lazy().collect()["Hub 12"].to_list() == ["Fen", "Dale"] and len(calls) == 12
