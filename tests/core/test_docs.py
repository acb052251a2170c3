"""What the documentation takes from the code is as the code has it."""

import json
import os
import re
import subprocess
import sys
import textwrap
from pathlib import Path

from updraft.core.steps import kinds

ROOT = Path(__file__).resolve().parents[2]


def test_the_pages_of_step_kinds_and_formulas_are_written_anew_with_every_change():
    """In a process of its own: kinds that tests register are none of the page's."""
    for page in ("steps", "formulas"):
        code = f"from tools.write_docs import {page}_page; import sys; sys.stdout.write({page}_page())"
        done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True)
        assert (ROOT / f"docs/{page}.md").read_text() == done.stdout, "make docs"


def test_links_between_the_pages_lead_somewhere():
    pages = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]
    for page in pages:
        for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / link).exists(), f"{page.name} → {link}"
    shown = {path.name for path in (ROOT / "docs/screenshots").iterdir()}
    linked = {name for page in pages for name in re.findall(r"screenshots/([\w-]+\.png)", page.read_text())}
    assert shown == linked and len(shown) < 20, "pictures that no page shows, or that are missing"


def blocks() -> list[str]:
    """The pieces of Python in CONTRIBUTING.md, in order."""
    found = re.findall(r"```python\n(.*?)```", (ROOT / "CONTRIBUTING.md").read_text(), re.S)
    return [textwrap.dedent(block) for block in found]


def test_the_example_of_a_new_kind_works_as_it_stands(tmp_path):
    """In a process of its own: the kind must not be there for other tests."""
    kind, test = blocks()[:2]
    family = tmp_path / "of_mine"
    family.mkdir()
    (family / "__init__.py").write_text('TITLE, PLACE = "Of mine", 99\n')
    (family / "scale_numbers.py").write_text(kind)
    (tmp_path / "test_it.py").write_text(
        f"import polars as pl\nimport of_mine.scale_numbers\nfrom tests.conftest import Bench\n{test}\n"
        "from pathlib import Path\nfrom tests import sources\n"
        f"test_scale_numbers(Bench(Path({str(tmp_path)!r})))\n"
        "from updraft.core.steps import kinds\nkind = kinds()['scale_numbers']\n"
        "print(kind.sentence(kind.Settings.model_validate(kind.starting_settings())))\n"
    )
    done = subprocess.run([sys.executable, str(tmp_path / "test_it.py")], cwd=ROOT, capture_output=True, text=True,
                          env={**os.environ, "PYTHONPATH": str(ROOT)})  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "times 1" in done.stdout


def test_the_widgets_that_are_written_of_are_those_that_kinds_name():
    text = (ROOT / "CONTRIBUTING.md").read_text()
    told = re.search(r"\*\*Widgets\*\* for .*?(?=A widget's value)", text, re.S)[0]
    schemas = json.dumps([kind.Settings.model_json_schema() for kind in kinds().values()])
    known = set(re.findall(r'"widget": "(\w+)"', schemas))
    written = set(re.findall(r"`(\w+)`", told)) - {"labels"}
    assert written <= known, written - known
