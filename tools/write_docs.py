"""Write what the documentation takes from the code: the JSON Schema of a flow file, the pages of step kinds
and of formulas."""

import json
from pathlib import Path

from updraft.core.flow import schema
from updraft.core.formula.registry import functions
from updraft.core.steps import StepKind, kinds

DOCS = Path(__file__).resolve().parent.parent / "docs"


def steps_page() -> str:
    """docs/steps.md: every kind with its settings, inputs and side outputs."""
    lines = [
        "# The kinds of steps",
        "",
        "Written by `make docs` from the code. `updraft steps --json` gives the JSON Schema of every setting.",
        "",
    ]
    family = ""
    for kind in kinds().values():
        if kind.family != family:
            family = kind.family
            lines += [f"## {family}", ""]
        lines += _kind(kind)
    return "\n".join(lines)


GROUPS = {
    "text": "Text",
    "parts": "Parts of a text, and numbers as text",
    "numbers": "Numbers",
    "dates": "Dates",
    "empties": "Empty values and choices",
    "groups": "Other rows: of the table, or of those that are equal in `by`",
}
FORMULAS = """# Formulas

Written by `make docs` from the code.

A formula is one expression, as Python writes them: `round(price * packets, 2)`, `"van" if hub == "Fen" else "post"`.

- A **column** is written by its name, in backticks where it is no plain word: `` `Ordered on` ``. (`Ordered_on` and `column("Ordered on")` say the same.)
- A **text** stands in quotes, a **parameter** of the flow is `params.month`, an empty value is `None`.
- Signs: `+ - * / // % **`, `== != < <= > >=`, `in ("Fen", "Dale")`, `and or not`, `a if condition else b`.
- `+` puts texts together and adds days to a date; a date less a date gives days.
- **Decimals are reckoned with as on paper**: `0.1 + 0.2 == 0.3`, `3 / 10` is 0.3. A result that is a decimal of six places (of two, from nine thousand
  million on) but for what doubles round off is that decimal; sums of such numbers are exact, in any order.
- Where a part is empty, so is the result, unless the function says otherwise. Dividing by zero gives an empty value. An empty condition
  does not hold.
- A column made by a formula may be used by those after it in the same step.

## By example

A formula need not be written: open **By example** below it, choose the one or two columns that it is made of, and type what one row should give.
What that may mean is listed in words, with what it makes of the rows shown; choose one and its formula is written, to be changed like any
other. Where they are in doubt, the row that says most is marked: say what that one should give.

What is known:

- **Parts**: between marks, words that most rows have (from … to …), tags and brackets; the n-th word, number or run of one form; what stands
  behind or before a word, at an end, at a place; hosts of addresses and paths; a text without its tags, brackets, or a word at its end that
  others have, too; the last letters and digits in groups.
- **Changes**: case, initials, accents, zeros, marks replaced, lists rewritten, sorted, turned, each item once; fixed text between.
- **Numbers**: read, counted, added, multiplied, divided, rounded, to a multiple; percent, change in percent, per thousand; measures, degrees, bytes,
  thousands written short; times in hours, minutes or seconds; two or three columns together; a number times another, plus a third.
- **Dates**: in another form, also where a column has several forms; their parts; weeks, quarters, years that begin in April, July or
  October; days, months and years from one date to another.
- **Tables that people know**: months and days of the week, in nine languages, directions, sizes, yes and no, states, countries, Roman numerals.
- **Tests**: a mark, a word, a sign, an empty cell; a number above a bound (the roundest between the examples); which of two is larger, whether
  they are equal; weekends, the half of the year. A part that only some rows have comes and goes with its mark; a result for each value of a column of few values.

All examples are read together; a reading that nearly fits is mended by a replacement, blanks that it leaves at the ends are taken off. A
column that was named and is not used makes a reading less likely. An empty result is an example, too: press *empty* beside the row.

`make bench-examples` measures it: of 87 tasks written before anything could solve one, 73 are solved with one example and all with two at
most; of 70 written afterwards 61 and 70. Both sets have the author of the method. Of 60 tasks that others wrote, 39 are solved with one
example, 53 with two at most and 57 with three. Sets written by the author and measured before anything was changed for them, the newest
last: of 82, 65, 63, 62, 50, 70, 68, 57 and 52 tasks 49, 58, 57, 68, 66, 44, 62, 68 and 73 % were solved with one example, 72, 88, 87, 84, 84,
69, 91, 86 and 94 % with two at most. On 1,000 different values an answer takes 266 ms (median of the 157 tasks; 95 % within 834 ms, the
longest 1,131 ms; two cores, most of whose time went to others).
"""


def formulas_page() -> str:
    """docs/formulas.md: how a formula is written, and every function with its example."""
    lines = [FORMULAS]
    for group, title in GROUPS.items():
        lines += [f"## {title}", "", "| function | gives | example |", "|---|---|---|"]
        for one in functions().values():
            if one.group == group:
                shown = f"`{one.example[0]}` → {one.example[1] or '(empty)'}" if one.example[0] else ""
                lines.append(f"| `{one.signature}` | {one.help} | {shown.replace('|', chr(92) + '|')} |")
        lines.append("")
    return "\n".join(lines)


def _kind(kind: StepKind) -> list[str]:
    lines = [f"### {kind.title}", "", f"`{kind.kind}`. {(type(kind).__doc__ or kind.summary).strip()}", ""]
    ports = [f"*{port.title.lower()}* (`{port.name}`)" for port in kind.inputs]
    if len(ports) > 1:
        lines += [f"Takes {' and '.join(ports)}.", ""]
    sides = [f"*{out.name}* ({out.title.lower()})" for out in kind.outputs if not out.main]
    if sides:
        lines += [f"Side output: {', '.join(sides)}.", ""]
    lines += ["| setting | in the file | what it says |", "|---|---|---|"]
    for name, field in kind.Settings.model_fields.items():
        extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
        choices = ", ".join(f"{text} (`{key}`)" for key, text in extra.get("labels", []))  # type: ignore[union-attr, misc]
        lines.append(
            f"| {field.title} | `{name}` | {'; '.join(part for part in (field.description, choices) if part)} |".replace(
                "\t", "tab"
            )
        )
    return [*lines, "", f"Found in the add box by: {', '.join([kind.title.lower(), *kind.words])}.", ""]


if __name__ == "__main__":
    DOCS.mkdir(exist_ok=True)
    (DOCS / "flow.schema.json").write_text(json.dumps(schema(), indent=2, ensure_ascii=False) + "\n")
    (DOCS / "steps.md").write_text(steps_page())
    (DOCS / "formulas.md").write_text(formulas_page())
