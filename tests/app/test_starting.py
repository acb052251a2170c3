"""What starting loads: large libraries stay away until they are used."""

import json
import subprocess
import sys

import pytest

LARGE = ("sqlalchemy", "psycopg", "pymysql", "openpyxl", "xlsxwriter", "httpx", "lxml", "ftfy", "rich")

TINY = {
    "updraft": 1,
    "steps": [
        {"id": "lots", "kind": "read_file", "settings": {"path": "lots.csv"}},
        {"id": "out", "kind": "write_file", "settings": {"name": "out.csv"}, "inputs": {"table": "lots"}},
    ],
}

STARTS = {
    "the help": "from updraft.cli import main; main(['--help'], standalone_mode=False)",
    "the face of the core": "import updraft.core.steps, updraft.core.engine; from updraft.core import Engine, plan, run",
    "a tiny run": "from updraft.cli import main\ntry: main(['run', 'tiny.updraft.json'])\nexcept SystemExit as e: assert not e.code",
    "every kind of step with its form": "from updraft.core.steps import kinds; [k.Settings.model_json_schema() for k in kinds().values()]",
    "the app": "from updraft.web import create_app; from updraft.store import Folders, open_database\n"
    "from pathlib import Path; f = Folders(Path('data')); open_database(f.database)\n"
    "app = create_app(f, print, secret='x'); assert app.test_client().get('/').status_code == 200",
    "the worker and its runs": "import updraft.jobs.worker, updraft.jobs.execute",
}


@pytest.mark.parametrize("start", STARTS)
def test_large_libraries_stay_out_until_they_are_used(start, tmp_path):
    (tmp_path / "lots.csv").write_text("Lot,Packets\nGZ-1,3\n")
    (tmp_path / "tiny.updraft.json").write_text(json.dumps(TINY))
    code = f"{STARTS[start]}\nimport sys; print('loaded:', *[m for m in {LARGE!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip().splitlines()[-1] == "loaded:", done.stdout


def test_a_library_is_loaded_when_it_is_used(tmp_path):
    """The test above would pass if the names it looks for were wrong."""
    code = (
        "import sys, polars as pl; from pathlib import Path; from updraft.core.formats import write_xlsx\n"
        "write_xlsx(pl.DataFrame({'Lot': ['GZ-1']}), Path('x.xlsx')); print('xlsxwriter' in sys.modules)"
    )
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True)
    assert done.stdout.strip() == "True", done.stderr
