/** The tree of a file of records within records: its lists, and what stands around them. */

/** @typedef {import("./found.d.ts").TreeNode} Node */
/** @typedef {{name: string, path: string, kind: string}} Value */

/** @param {Node | null} node @returns {Node[]} */
export const all = (node) => (node ? [node, ...node.children.flatMap(all)] : []);
/** @param {Node | null} node */
export const lists = (node) => all(node).filter((n) => n.shape === "list");

/**
 * The single values of a record and of records within it, called as columns are.
 * @param {Node[]} nodes
 * @param {string} before
 * @returns {Value[]}
 */
function single(nodes, before) {
  return nodes.flatMap((node) =>
    node.shape === "value"
      ? [{ name: before + node.name, path: node.path, kind: node.example ?? "" }]
      : node.shape === "record"
        ? single(node.children, `${before}${node.name}.`)
        : [],
  );
}

/**
 * The single values that stand around the records at a path, nearest first. Those of the nearest
 * record of a list are chosen by their names, others by their paths.
 * @param {Node | null} tree
 * @param {string} path
 */
export function around(tree, path) {
  const outer = path.includes("/*/") ? path.slice(0, path.lastIndexOf("/*/")) : null;
  const holding = all(tree).filter((node) => {
    const inside = node.shape === "list" ? `${node.path}/*` : node.path;
    return node.path !== path && node.children.length && path.startsWith(`${inside}/`);
  });
  return holding.reverse().flatMap((node) => {
    const next = (/** @type {import("./found.d.ts").TreeNode} */ one) =>
      path === one.path || path.startsWith(`${one.path}/`);
    const before = node.name ? `${node.name}.` : "";
    return single(
      node.children.filter((one) => !next(one)),
      "",
    ).map(({ name, path: at, kind }) => ({
      name: before + name,
      path: at,
      kind,
      value: node.path === outer ? name : at,
    }));
  });
}
