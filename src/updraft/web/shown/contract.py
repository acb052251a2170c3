"""What the server tells the page, as types of both sides; `make docs` writes static/js/contract.d.ts."""

from typing import Any, Literal, NotRequired, TypedDict


class ProblemShown(TypedDict):
    """What is wrong, why, and the way out; `text` is all of it."""

    thing: str
    reason: str
    way_out: str
    step: str
    field: str
    code: str
    text: str


class FactShown(TypedDict):
    """A number with its sentence; `side` or `rule` tell which rows it counts."""

    code: str
    count: int
    text: str
    level: str
    side: str
    rule: dict[str, Any] | None


class PortShown(TypedDict):
    name: str
    title: str
    main: bool
    many: bool


class StopShown(TypedDict):
    """The place of a step: `row` from the top, `lane` from the left."""

    id: str
    row: int
    lane: int


class LinkShown(TypedDict):
    source: str
    target: str
    main: bool


class CourseShown(TypedDict):
    lanes: int
    stops: list[StopShown]
    links: list[LinkShown]


class StepShown(TypedDict):
    """A step of the course. What is not required is known once its table is; `sample` says what its rows
    are a sample of, and is empty where they are all.
    """

    id: str
    kind: str
    label: str
    name: str
    note: str
    enabled: bool
    ports: list[PortShown]
    inputs: dict[str, list[str]]
    main: str | None
    settings: dict[str, Any]
    role: str
    icon: str
    sentence: str
    status: Literal["unfinished", "problem", "off", "blocked", "fresh", "computing", "waiting"]
    problem: ProblemShown | None
    blocked_by: str
    fingerprint: str | None
    sample: str
    rows: NotRequired[int]
    change: NotRequired[str]
    facts: NotRequired[list[FactShown]]
    warnings: NotRequired[list[str]]
    seconds: NotRequired[float]


class FlowShown(TypedDict):
    """A flow at a revision; `pending` while stops are being computed."""

    id: str
    name: str
    note: str
    computed_on: str
    gathered: list[str]
    revision: int
    undo: str | None
    redo: str | None
    pending: bool
    parameters: list[dict[str, Any]]
    course: CourseShown
    steps: dict[str, StepShown]


class ColumnThere(TypedDict):
    name: str
    kind: str


class ColumnShown(ColumnThere):
    """A column: `origin` is the step that brought it from another table, `changed` how many cells."""

    kind_title: str
    origin: str | None
    evidence: str
    changed: int


class TableShown(TypedDict):
    """A table of a step; `before` and `came` are the keys of the one that it was made of, `sample` as of its
    step, `samples` how many sources are looked at in part.
    """

    key: str
    step: str
    label: str
    output: str
    before: str | None
    came: str | None
    rows: int
    sample: str
    samples: int
    rows_in: int | None
    seconds: float
    did: str
    touched: list[str]
    sides: dict[str, int]
    titles: dict[str, str]
    facts: list[FactShown]
    warnings: list[str]
    columns: list[ColumnShown]
    preview: NotRequired[int | None]


class ArrivingShown(TypedDict):
    """The table at a port: its columns, where it is known."""

    ref: str
    known: bool
    key: str | None
    output: str
    columns: list[ColumnThere]


class LookShown(TypedDict):
    problem: ProblemShown | None
    table: TableShown | None
    incoming: dict[str, ArrivingShown]
    takeable: list[list[str]]


class KindShown(TypedDict):
    """A kind of step: for the add box, and to draw its form."""

    kind: str
    title: str
    family: str
    summary: str
    words: list[str]
    icon: str
    role: str
    desk: str
    made_for: str
    way_in: list[Any]
    other_rows: bool
    decides: bool
    starting: dict[str, Any]
    ports: list[PortShown]
    remote: bool
    samples: bool
    reads_files: bool
    opens: bool
    schema: dict[str, Any]


class FieldAsked(TypedDict):
    """What a question's rows hold in a column, and what the rows that they may meet hold in `other`."""

    column: str
    other: str | None
    here: str | None
    there: str | None


class CandidateShown(TypedDict):
    """A thing of a reference that a name may mean."""

    id: str
    name: str
    score: float | None
    about: str


class QuestionShown(TypedDict):
    """What a step asks: an answer is given for its `key`; `candidates` is null where any text may answer."""

    key: str
    rows: int
    proposal: str | None
    why: str | None
    fields: list[FieldAsked]
    candidates: list[CandidateShown] | None


class DecisionsShown(TypedDict):
    """Answers given (key, answer, who, when) and open questions, of each the first; `answers` are those that
    there can be, or none where any text is one. `decided` counts all answers, `found` those searched for.
    """

    answers: list[str]
    given: list[list[str]]
    decided: int
    found: int
    open: list[QuestionShown]
    open_count: int


class RepairShown(TypedDict):
    sentence: str
    steps: list[dict[str, Any]]


class FindingShown(TypedDict):
    """Something that looks wrong, with what would mend it; `reason` says why it was dismissed."""

    code: str
    columns: list[str]
    count: int
    sentence: str
    why: str
    examples: list[str]
    rows: list[int]
    rule: dict[str, Any] | None
    open: bool
    key: str
    repairs: list[RepairShown]
    reason: NotRequired[str]


class FindingsShown(TypedDict):
    pending: bool
    table: str
    findings: list[FindingShown]
    dismissed: list[FindingShown]


SHOWN = (
    ProblemShown, FactShown, PortShown, StopShown, LinkShown, CourseShown, StepShown, FlowShown, ColumnThere,
    ColumnShown, TableShown, ArrivingShown, LookShown, KindShown, FieldAsked,
    CandidateShown, QuestionShown, DecisionsShown, RepairShown, FindingShown, FindingsShown,
)  # fmt: skip
