"""Every job by the command line."""

import json
import shutil
from pathlib import Path

import pytest
from click.testing import CliRunner

from tests.jobs import JOBS, Job, elsewhere, keep_sent, reports_and_references, rows_and_values, tables_and_shapes  # noqa: F401  the jobs register themselves
from updraft.cli import main
from updraft.demo import build_material
from updraft.serve import connections_of
from updraft.standins import StandIns


@pytest.fixture(scope="session")
def material(world, tmp_path_factory):
    """All files of the example world, and what the jobs add to it."""
    folder = tmp_path_factory.mktemp("material")
    shutil.copytree(world, folder, dirs_exist_ok=True)
    build_material(folder)
    for one in JOBS:
        one.made(folder)
    return folder


@pytest.fixture(scope="session")
def standins(tmp_path_factory):
    started = StandIns(tmp_path_factory.mktemp("standins"))
    yield started
    started.stop()


@pytest.mark.parametrize("job", JOBS, ids=lambda job: job.name)
def test_a_job_comes_to_its_end(job: Job, material, standins, tmp_path):
    for name in job.files:
        shutil.copy(material / name, tmp_path / Path(name).name)
    (tmp_path / "job.updraft.json").write_text(job.document)
    (tmp_path / "connections.json").write_text(json.dumps(connections_of(standins, material / "seed_lots.sqlite")))
    call = ["run", str(tmp_path / "job.updraft.json"), "--out", str(tmp_path / "out"), "--json"]
    call += ["--connections", str(tmp_path / "connections.json")]
    call += [part for place in standins.allow for part in ("--allow", place)]
    done = CliRunner().invoke(main, call)
    report = json.loads(done.stdout)
    assert report["status"] == "ok", report["error"]
    keep_sent(tmp_path / "out", Path(standins.outbox), standins.shop)
    job.check(tmp_path / "out", material)
