"""What the documentation takes from the code is as the code has it."""

import re
import subprocess
import sys
from pathlib import Path

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
