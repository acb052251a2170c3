"""The tasting trial: visitors score varieties on nine traits; a key sheet names the traits, and the colour
of a cell marks what is grown again.
"""

from __future__ import annotations

import random
from pathlib import Path

import openpyxl
from openpyxl.styles import PatternFill

TRAITS = [
    "Look", "Scent", "Sweetness", "Sourness", "Juiciness", "Crunch", "Bitterness", "Aftertaste",
    "Would grow it",
]  # fmt: skip
CODES = [f"T{number}" for number in range(1, len(TRAITS) + 1)]
TRIAL = [
    "Brandywine", "Cherokee Purple", "Black Krim", "Green Zebra", "Lemon Drop", "Moon and Stars",
    "Paris Market", "Crimson Giant", "Chioggia", "Boston Pickling", "Yellow Crookneck", "Golden Bantam",
]  # fmt: skip
AGAIN = "FFBFE3C6"  # the colour of what is grown again
VISITORS = 14

TEMPLATE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>{{ title }}</title>
<style>
  body { font-family: Figtree, sans-serif; color: #12343b; }
  h1 { font-size: 24pt; margin: 0; }
  .hub { color: #59696c; margin: 2pt 0 14pt; }
  table { border-collapse: collapse; width: 70%; margin-bottom: 18pt; }
  td, th { padding: 5pt 8pt; border-bottom: 0.5pt solid #d9d4c8; text-align: left; }
  td.mean { text-align: right; }
  .again { background: #bfe3c6; padding: 4pt 8pt; }
</style>
</head>
<body>
<h1>{{ title }}</h1>
<p class="hub">Tasting trial, {{ first.Visitors|number }} visitors</p>
{% if first.Marked == "yes" %}<p class="again">Grown again next season</p>{% endif %}
<table>
  <tr><th>Trait</th><th>Mean</th></tr>
  {% for row in rows %}
  <tr><td>{{ row.Trait }}</td>
    <td class="mean" style="{{ shade(row.Mean, 1, 5) }}">{{ row.Mean|number(1) }}</td></tr>
  {% endfor %}
</table>
{{ bars(rows, "Trait", "Mean", 5) }}
</body>
</html>
"""


def build_tasting(folder: Path) -> list[Path]:
    """Write the workbook of the trial and the template of its reports; their paths."""
    pick = random.Random("tasting")
    book = openpyxl.Workbook()
    page = book.active
    page.title = "Varieties"
    page.append(["Variety", "Row in the field"])
    for number, variety in enumerate(TRIAL, start=2):
        page.append([variety, number - 1])
        if pick.random() < 0.4:
            page.cell(number, 1).fill = PatternFill("solid", fgColor=AGAIN)
    key = book.create_sheet("Key")
    key.append(["Code", "Trait"])
    for code, trait in zip(CODES, TRAITS, strict=True):
        key.append([code, trait])
    for variety in TRIAL:
        sheet = book.create_sheet(variety)
        sheet.append(["Visitor", *CODES])
        usual = [pick.uniform(1.8, 4.6) for _ in CODES]
        for visitor in range(1, VISITORS + 1):
            scores = [None if pick.random() < 0.05 else _score(pick, mean) for mean in usual]
            sheet.append([visitor, *scores])
    trial, template = folder / "tasting_trial.xlsx", folder / "trial_report.html"
    book.save(trial)
    template.write_text(TEMPLATE, encoding="utf-8")
    return [trial, template]


def _score(pick: random.Random, usual: float) -> int:
    return min(max(round(pick.gauss(usual, 0.9)), 1), 5)
