"""The page's modules without a browser: `node --test` on tests/page/*.test.js, with the kinds of steps as the app sends them."""

import json
import os
import re
import shutil
import subprocess
from pathlib import Path

import pytest

from updraft.core.steps import kinds

HERE = Path(__file__).parent
FILES = sorted(path.name for path in HERE.glob("*.test.js"))
MODULES = HERE.parents[1] / "node_modules/jsdom"


@pytest.fixture(scope="module")
def known(tmp_path_factory) -> Path:
    """kind → the schema of its settings, those that a new step has, its ports."""
    told = {
        name: {
            "schema": kind.Settings.model_json_schema(),
            "settings": kind.starting_settings(),
            "ports": [port.name for port in kind.inputs],
        }
        for name, kind in kinds().items()
        if type(kind).__module__.startswith("updraft.")
    }
    path = tmp_path_factory.mktemp("page") / "kinds.json"
    path.write_text(json.dumps(told))
    return path


@pytest.mark.skipif(
    not shutil.which("node") or not MODULES.exists(), reason="node or jsdom is not here; see tools/need-page"
)
@pytest.mark.parametrize("file", FILES)
def test_the_page(file, known):
    done = subprocess.run(
        ["node", "--test", "--test-force-exit", "--test-reporter", "tap", str(HERE / file)],
        capture_output=True,
        text=True,
        timeout=300,
        env={**os.environ, "UPDRAFT_KINDS": str(known)},
    )
    ran = re.search(r"^# pass (\d+)$", done.stdout, re.M)
    failed = "\n".join(
        line
        for line in done.stdout.splitlines()
        if not line.startswith(("ok", "# Subtest")) and not re.match(r" *(duration_ms|---|\.\.\.)", line)
    )
    assert done.returncode == 0, failed[:6000] + done.stderr[-2000:]
    assert ran and int(ran[1]), "nothing ran"
