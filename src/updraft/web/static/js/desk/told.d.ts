/** What the server tells of columns, revisions and runs, as far as the desk reads it. */

/** Rows that a column's figure counts, and the rule that opens them. */
export interface Way {
  key: string;
  label: string;
  rows: number;
  rule: Record<string, unknown>;
}

export interface Profiled {
  name: string;
  kind: string;
  empty: number;
  blank_only: number;
  odd: number;
  distinct: number | null;
  most?: [string, number][];
  listed?: boolean;
  numbers?: Record<string, number>;
  days?: { first?: string; last?: string; missing_days?: number };
}

export interface Revision {
  number: number;
  current: boolean;
  sentence: string;
  created: string;
  parent: number | null;
}

export interface Delivered {
  path: string | null;
  to: string;
  rows: number;
  seconds?: number;
}
