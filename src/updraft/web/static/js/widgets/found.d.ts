/** How a file is read, and a picture of it as it stands: what the server answers, as far as it is read here. */
// biome-ignore-all lint/suspicious/noExplicitAny: what was found follows from the format

/** A node of a tree of fields; the rows come from one whose shape is a list. */
export interface TreeNode {
  name: string;
  path: string;
  kind: string;
  shape: string;
  count: number;
  example?: string;
  children: TreeNode[];
}

export interface Found {
  format: string;
  title: string;
  files: string[];
  columns: string[];
  options: Record<string, any>;
  reasons: Record<string, string>;
  choices: {
    sheets?: string[];
    rows?: string[];
    hidden?: string[];
    ranges?: string[];
    records?: any[];
  } & Record<string, any>;
  raw: { shape: string; first: any[]; last: any[]; tree: TreeNode | null };
}
