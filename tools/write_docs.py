"""Write what the documentation takes from the code: the JSON Schema of a flow file and the page of step kinds."""

import json
from pathlib import Path

from updraft.core.flow import schema
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
