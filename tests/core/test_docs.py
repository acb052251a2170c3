"""What the documentation takes from the code is as the code has it."""

import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def test_the_page_of_step_kinds_is_written_anew_with_every_change():
    """In a process of its own: kinds that tests register are none of the page's."""
    code = "from tools.write_docs import steps_page; import sys; sys.stdout.write(steps_page())"
    written = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    assert (ROOT / "docs/steps.md").read_text() == written, "make docs"


def test_links_between_the_pages_lead_somewhere():
    pages = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]
    for page in pages:
        for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / link).exists(), f"{page.name} → {link}"
    shown = {path.name for path in (ROOT / "docs/screenshots").iterdir()}
    linked = {name for page in pages for name in re.findall(r"screenshots/([\w-]+\.png)", page.read_text())}
    assert shown == linked and len(shown) < 20, "pictures that no page shows, or that are missing"
