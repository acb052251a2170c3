"""Every job by the command line."""

import json
import shutil

import pytest
from click.testing import CliRunner

from tests.jobs import JOBS, Job, rows_and_values, tables_and_shapes  # noqa: F401  the jobs register themselves
from updraft.cli import main
from updraft.demo.material import build_material


@pytest.fixture(scope="session")
def material(world, tmp_path_factory):
    """All files of the example world, and what the jobs add to it."""
    folder = tmp_path_factory.mktemp("material")
    shutil.copytree(world, folder, dirs_exist_ok=True)
    build_material(folder)
    for one in JOBS:
        one.made(folder)
    return folder


@pytest.mark.parametrize("job", JOBS, ids=lambda job: job.name)
def test_a_job_comes_to_its_end(job: Job, material, tmp_path):
    for name in job.files:
        shutil.copy(material / name, tmp_path)
    (tmp_path / "job.updraft.json").write_text(job.document)
    done = CliRunner().invoke(
        main, ["run", str(tmp_path / "job.updraft.json"), "--out", str(tmp_path / "out"), "--json"]
    )
    report = json.loads(done.stdout)
    assert report["status"] == "ok", report["error"]
    job.check(tmp_path / "out", material)
