"""The database: migrations and runs."""

import contextlib
from dataclasses import replace
from pathlib import Path

import peewee as pw
import pytest

from tests.app.conftest import small_flow
from updraft.core import Flow, Problem, Step
from updraft.core.connect import Outside
from updraft.core.deliver import FileDelivery, Outlet, commit_all
from updraft.core.flow.decisions import Decision, Decisions
from updraft.store import ConnectionStore, DeliveryJournal, FlowStore, Folders, RunStore, open_database
from updraft.store.database import MIGRATIONS, migrate
from updraft.store.models import DecisionRow, RevisionRow


def test_migrations_run_once_in_order_and_all_or_nothing(tmp_path):
    db = pw.SqliteDatabase(tmp_path / "x.sqlite")
    ran = []

    def add(number):
        def step(base, migrator):
            ran.append(number)
            base.execute_sql(f"create table t{number} (x)")
            if number == 3:
                raise RuntimeError("stop")

        return step

    with db.connection_context():
        assert migrate(db, [add(1)]) == 1
        assert migrate(db, [add(1), add(2)]) == 2
        with contextlib.suppress(RuntimeError):
            migrate(db, [add(1), add(2), add(3)])
        assert ran == [1, 2, 3] and db.get_tables() == ["t1", "t2"]
        assert db.execute_sql("pragma user_version").fetchone()[0] == 2


def test_the_database_is_at_the_newest_version_and_in_wal_mode(tmp_path):
    db = open_database(tmp_path / "x.sqlite")
    with db.connection_context():
        assert db.execute_sql("pragma user_version").fetchone()[0] == len(MIGRATIONS)
        assert db.execute_sql("pragma journal_mode").fetchone()[0] == "wal"


def test_a_run_is_taken_once_and_what_is_closed_stays_closed(tmp_path):
    folders = Folders(tmp_path)
    open_database(folders.database)
    runs = RunStore()
    flow = FlowStore(folders).create(small_flow(), "made")
    first, second, third = (runs.create(flow, small_flow(), 1, {}) for _ in range(3))
    assert [runs.before(run) for run in (first, second, third)] == [0, 1, 2]
    assert runs.start(first) and not runs.start(first)
    runs.cancel(second)
    assert runs.before(third) == 1, "the one that runs, not the one that was cancelled"
    assert runs.get(second)["status"] == "cancelled" and not runs.start(second)
    assert runs.cut_off() == 1 and runs.get(first)["status"] == "cut off"
    runs.finish(first, "ok", {})
    assert runs.get(first)["status"] == "cut off"
    assert runs.waiting() == [third]


@pytest.mark.parametrize("version", range(1, len(MIGRATIONS)))
def test_a_data_folder_of_any_earlier_version_opens_with_its_flows_and_runs(tmp_path, version):
    """Written in SQL as it was then; the models of today are not used."""
    folders = Folders(tmp_path / "old")
    db = pw.SqliteDatabase(folders.database)
    migrate(db, MIGRATIONS[:version])
    text = '{"updraft": 1, "name": "March", "steps": [{"id": "a", "kind": "keep_rows", "inputs": {"table": "b"}}]}'
    db.execute_sql(
        "INSERT INTO flow (id, name, head, created, updated) VALUES ('abcdef123456', 'March', 1, 'then', 'then')"
    )
    who, whose = (", who, decided", ", 'nobody', '{}'") if version > 2 else ("", "")
    of, whom = (", who, series, dry", ", 'nobody', '', 0") if version > 2 else ("", "")
    of, whom = (f"{of}, by", f"{whom}, ''") if version > 3 else (of, whom)
    of, whom = (f"{of}, cause, chain", f"{whom}, '', ''") if version > 4 else (of, whom)
    db.execute_sql(
        f"INSERT INTO revision (flow_id, number, sentence, document, created{who})"
        f" VALUES ('abcdef123456', 1, 'Began', ?, 'then'{whose})", (text,),
    )  # fmt: skip
    db.execute_sql(
        f"INSERT INTO run (id, flow_id, revision, document, parameters, status, cancel, progress, created{of})"
        f" VALUES ('0123456789ab', 'abcdef123456', 1, ?, '{{}}', 'cut off', 0, '{{}}', 'then'{whom})", (text,),
    )  # fmt: skip
    db.close()
    open_database(folders.database)
    saved, runs = FlowStore(folders).get("abcdef123456"), RunStore()
    assert saved.flow.steps[0].inputs == {"table": "b"} and not saved.flow.decisions
    assert runs.flow("0123456789ab") == saved.flow and ConnectionStore(folders).all() == {}
    again = runs.create("abcdef123456", saved.flow, 1, {}, repeats="0123456789ab")
    assert runs.get(again)["series"] == "0123456789ab"


def test_decisions_are_kept_once_for_all_revisions_that_have_them(tmp_path):
    open_database((folders := Folders(tmp_path / "data")).database)
    flows = FlowStore(folders)
    decisions = Decisions(Decision(f"name {n}", "take", "Ida", "then") for n in range(5000))
    flow = Flow(name="Many", steps=(Step(id="s", kind="x"),), decisions={"s": decisions})
    flow_id = flows.create(flow, "Began")
    for n in range(3):
        saved = flows.get(flow_id)
        assert saved.flow.decisions == {"s": decisions}
        flows.save(flow_id, saved.flow.model_copy(update={"note": f"{n}"}), "Noted", saved.revision)
    assert DecisionRow.select().count() == 1 and "name 1" not in RevisionRow.select()[0].document
    fewer = flows.get(flow_id).flow.model_copy(update={"decisions": {"s": decisions.without(["name 7"])}})
    flows.save(flow_id, fewer, "Took back", 4)
    assert len(flows.get(flow_id).flow.decided("s")) == 4999
    assert len(flows.undo(flow_id).flow.decided("s")) == 5000 and flows.at(flow_id, 5) == fewer


def test_a_delivery_is_made_once_for_a_run_and_all_that_repeat_it(tmp_path):
    open_database(Folders(tmp_path / "data").database)
    folder = tmp_path / "out"

    def prepared(content="1", asked="report.csv", name="report.csv"):
        outlet = Outlet("write", folder, Outside(), content)
        return FileDelivery(outlet, asked, folder / name, lambda path: path.write_text(content), 1)

    def commit(delivery, series="first"):
        try:
            return list(commit_all([delivery], series, DeliveryJournal(series)))
        finally:
            delivery.discard()

    [done] = commit(prepared())
    (folder / "report.csv").unlink()
    assert commit(prepared(name="report (2).csv")) == [done] and not list(folder.iterdir()), "told, not made again"
    assert commit(prepared(), series="next day") and (folder / "report.csv").exists()
    commit(prepared("2"))
    assert (folder / "report.csv").read_text() == "2", "other content is another delivery"

    class Letter(FileDelivery):
        def __init__(self):
            super().__init__(Outlet("send", folder, Outside(), "x"), "keeper", folder / "sent", Path.touch, 1)
            self.effect = replace(self.effect, final=True)

        def commit(self):
            super().commit()
            raise KeyboardInterrupt  # the process ends just after it was sent

    with pytest.raises(KeyboardInterrupt):
        commit(Letter())
    (folder / "sent").unlink()
    with pytest.raises(Problem, match="nobody can tell"):
        commit(Letter())
    assert not (folder / "sent").exists(), "what cannot be taken back is not sent on a guess"
