/** The tree of a file of records within records: its lists, and what stands around them. */

export const all = (node) => (node ? [node, ...node.children.flatMap(all)] : []);
export const lists = (node) => all(node).filter((n) => n.shape === "list");

/** The single values of a record and of records within it, called as columns are. */
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
 * The single values that stand around the records at a path, nearest first. Those of the nearest record of a list are
 * chosen by their names, others by their paths.
 */
export function around(tree, path) {
  const outer = path.includes("/*/") ? path.slice(0, path.lastIndexOf("/*/")) : null;
  const holding = all(tree).filter((node) => {
    const inside = node.shape === "list" ? `${node.path}/*` : node.path;
    return node.path !== path && node.children.length && path.startsWith(`${inside}/`);
  });
  return holding.reverse().flatMap((node) => {
    const next = (one) => path === one.path || path.startsWith(`${one.path}/`);
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
