/** Written by `make docs` from web/shown/contract.py. */
// biome-ignore-all lint/suspicious/noExplicitAny: settings are as their kinds declare them

/** What is wrong, why, and the way out; `text` is all of it. */
export interface ProblemShown {
  thing: string;
  reason: string;
  way_out: string;
  step: string;
  field: string;
  code: string;
  text: string;
}

/** A number with its sentence; `side` or `rule` tell which rows it counts. */
export interface FactShown {
  code: string;
  count: number;
  text: string;
  level: string;
  side: string;
  rule: Record<string, any> | null;
}

export interface PortShown {
  name: string;
  title: string;
  main: boolean;
  many: boolean;
}

/** The place of a step: `row` from the top, `lane` from the left. */
export interface StopShown {
  id: string;
  row: number;
  lane: number;
}

export interface LinkShown {
  source: string;
  target: string;
  main: boolean;
}

export interface CourseShown {
  lanes: number;
  stops: StopShown[];
  links: LinkShown[];
}

/** A step of the course. What is not required is known once its table is; `sample` says what its rows are a
 * sample of, and is empty where they are all. */
export interface StepShown {
  id: string;
  kind: string;
  label: string;
  name: string;
  note: string;
  enabled: boolean;
  ports: PortShown[];
  inputs: Record<string, string[]>;
  main: string | null;
  settings: Record<string, any>;
  role: string;
  icon: string;
  sentence: string;
  status: "unfinished" | "problem" | "off" | "blocked" | "fresh" | "computing" | "waiting";
  problem: ProblemShown | null;
  blocked_by: string;
  fingerprint: string | null;
  sample: string;
  rows?: number;
  change?: string;
  facts?: FactShown[];
  warnings?: string[];
  seconds?: number;
}

/** A flow at a revision; `pending` while stops are being computed. */
export interface FlowShown {
  id: string;
  name: string;
  note: string;
  computed_on: string;
  gathered: string[];
  revision: number;
  undo: string | null;
  redo: string | null;
  pending: boolean;
  parameters: Record<string, any>[];
  course: CourseShown;
  steps: Record<string, StepShown>;
}

export interface ColumnThere {
  name: string;
  kind: string;
}

/** A column: `origin` is the step that brought it from another table, `changed` how many cells. */
export interface ColumnShown {
  name: string;
  kind: string;
  kind_title: string;
  origin: string | null;
  evidence: string;
  changed: number;
}

/** A table of a step; `before` and `came` are the keys of the one that it was made of, `sample` as of its
 * step, `samples` how many sources are looked at in part. */
export interface TableShown {
  key: string;
  step: string;
  label: string;
  output: string;
  before: string | null;
  came: string | null;
  rows: number;
  sample: string;
  samples: number;
  rows_in: number | null;
  seconds: number;
  did: string;
  touched: string[];
  sides: Record<string, number>;
  titles: Record<string, string>;
  facts: FactShown[];
  warnings: string[];
  columns: ColumnShown[];
  preview?: number | null;
}

/** The table at a port: its columns, where it is known. */
export interface ArrivingShown {
  ref: string;
  known: boolean;
  key: string | null;
  output: string;
  columns: ColumnThere[];
}

export interface LookShown {
  problem: ProblemShown | null;
  table: TableShown | null;
  incoming: Record<string, ArrivingShown>;
  takeable: string[][];
}

/** A kind of step: for the add box, and to draw its form. */
export interface KindShown {
  kind: string;
  title: string;
  family: string;
  summary: string;
  words: string[];
  icon: string;
  role: string;
  desk: string;
  made_for: string;
  way_in: any[];
  other_rows: boolean;
  decides: boolean;
  starting: Record<string, any>;
  ports: PortShown[];
  remote: boolean;
  samples: boolean;
  reads_files: boolean;
  opens: boolean;
  schema: Record<string, any>;
}

/** What a question's rows hold in a column, and what the rows that they may meet hold in `other`. */
export interface FieldAsked {
  column: string;
  other: string | null;
  here: string | null;
  there: string | null;
}

/** A thing of a reference that a name may mean. */
export interface CandidateShown {
  id: string;
  name: string;
  score: number | null;
  about: string;
}

/** What a step asks: an answer is given for its `key`; `candidates` is null where any text may answer. */
export interface QuestionShown {
  key: string;
  rows: number;
  proposal: string | null;
  why: string | null;
  fields: FieldAsked[];
  candidates: CandidateShown[] | null;
}

/** Answers given (key, answer, who, when) and open questions, of each the first; `answers` are those that
 * there can be, or none where any text is one. `decided` counts all answers, `found` those searched for. */
export interface DecisionsShown {
  answers: string[];
  given: string[][];
  decided: number;
  found: number;
  open: QuestionShown[];
  open_count: number;
}

export interface RepairShown {
  sentence: string;
  steps: Record<string, any>[];
}

/** Something that looks wrong, with what would mend it; `reason` says why it was dismissed. */
export interface FindingShown {
  code: string;
  columns: string[];
  count: number;
  sentence: string;
  why: string;
  examples: string[];
  rows: number[];
  rule: Record<string, any> | null;
  open: boolean;
  key: string;
  repairs: RepairShown[];
  reason?: string;
}

export interface FindingsShown {
  pending: boolean;
  table: string;
  findings: FindingShown[];
  dismissed: FindingShown[];
}
