/** What the server answers to the wide desks, as far as they read it. */
// biome-ignore-all lint/suspicious/noExplicitAny: a cell holds a value of any kind

export type Cells = any[];

export interface RowsFound {
  rows: Cells[];
  total: number;
}

/** How the rows of two tables would meet: rows in each, those that meet, pairs of them, and keys without a partner. */
export interface Met {
  left: number;
  right: number;
  met: number;
  met_other: number;
  pairs: number;
  several: number;
  several_other: number;
  worst: [key: string[], here: number, there: number][];
  found: [values: number, there: number][];
  gains: Record<string, number>;
  missed: Missed[];
  missed_in_all: number;
  sums: [name: string, before: number, after: number][];
}

/** A key without a partner, its rows, and the value nearest to its `at`th part. */
export type Missed = [
  values: Cells,
  many: number,
  near: string | null,
  far: number | null,
  at: number,
];

/** A column as it was tried on the first rows. */
export interface Tried {
  problem: (import("../contract.d.ts").ProblemShown & { place?: number; length?: number }) | null;
  kind: string;
  read: string[];
  rows: {
    row: number;
    from: (string | null)[];
    gives: string | null;
    why: "empty" | "differs" | "first";
    like: number;
  }[];
  empty: number;
  looked: number;
  all: number;
}

export type Spelling = [value: string, rows: number, why: string];

/** Spellings that may be one thing; `out` are those that were unticked, `becomes` the name that was typed. */
export interface Family {
  name: string;
  spellings: Spelling[];
  why: string;
  sure: boolean;
  weakest: string;
  out: Set<string>;
  becomes?: string;
}

export interface Families {
  families: Family[];
  distinct: number;
  all: number;
  strictness: Strictness[];
}

/** How many families a strictness would give, and spellings that become another. */
export type Strictness = [value: number, families: number, spellings: number];

export interface Change {
  old: string;
  new: string;
}
