"""Every job by the command line."""

import json
import os
import shutil
import zipfile
from pathlib import Path

import polars as pl
import pytest
from click.testing import CliRunner
from pypdf import PdfReader

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


def run(job: Job, material, standins, folder: Path, *more: str) -> dict[str, bytes]:
    """The files that a job's flow delivers."""
    folder.mkdir()
    for name in job.files:
        shutil.copy(material / name, folder / Path(name).name)
    (folder / "job.updraft.json").write_text(job.document)
    (folder / "connections.json").write_text(json.dumps(connections_of(standins, material / "seed_lots.sqlite")))
    call = ["run", str(folder / "job.updraft.json"), "--out", str(folder / "out"), "--json", *more]
    call += ["--connections", str(folder / "connections.json")]
    call += [part for place in standins.allow for part in ("--allow", place)]
    done = CliRunner().invoke(main, call)
    report = json.loads(done.stdout)
    assert report["status"] == "ok", report["error"]
    return {path.name: content(path) for path in (folder / "out").glob("*") if path.is_file()}


def content(path: Path) -> object:
    """A file's bytes; of those that note when they were made, what is in them."""
    if path.suffix == ".xlsx":
        with zipfile.ZipFile(path) as book:
            return {name: book.read(name) for name in book.namelist() if name != "docProps/core.xml"}
    if path.suffix == ".arrow":
        frame = pl.read_ipc(path)
        return frame.schema, frame.rows()
    if path.suffix == ".pdf":
        return [page.extract_text() for page in PdfReader(path).pages]
    return path.read_bytes()


@pytest.mark.parametrize("job", JOBS, ids=lambda job: job.name)
def test_a_job_comes_to_its_end_and_to_the_same_by_parts(job: Job, material, standins, tmp_path):
    made = run(job, material, standins, tmp_path / "whole")
    keep_sent(tmp_path / "whole" / "out", Path(standins.outbox), standins.shop)
    job.check(tmp_path / "whole" / "out", material)
    assert run(job, material, standins, tmp_path / "parts", "--parts", "97") == made
    if cluster := os.environ.get("UPDRAFT_JOBS_ON"):
        assert run(job, material, standins, tmp_path / "cluster", "--parts", "97", "--on", cluster) == made
