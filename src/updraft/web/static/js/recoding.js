/** Changes of values, as a Recode step holds them: how more of them join those that are there. */

/**
 * Changes to values of the table *after* a Recode step, put into that step.
 * @param {{old: string, new: string}[]} changes those that the step has
 * @param {[string, string][]} pairs value of its result → what it becomes
 * @param {(value: string) => boolean} comes whether such a value comes in as well, though the step
 *   itself makes it
 */
export function changedAfter(changes, pairs, comes = () => true) {
  const joined = changes.map((one) => {
    const hit = pairs.find(([old]) => old === one.new);
    return hit ? { ...one, new: hit[1] } : { ...one };
  });
  for (const [old, fresh] of pairs) {
    const made = changes.some((one) => one.new === old);
    const known = joined.some((one) => one.old === old);
    if (!known && (!made || comes(old))) joined.push({ old, new: fresh });
  }
  return joined.filter((one) => one.old !== one.new);
}

/**
 * Changes to values that come into a Recode step; one that it changes already is changed to this
 * instead.
 */
export function changedBefore(changes, pairs) {
  const joined = changes.map((one) => {
    const hit = pairs.find(([old]) => old === one.old);
    return hit ? { ...one, new: hit[1] } : { ...one };
  });
  for (const [old, fresh] of pairs)
    if (!joined.some((one) => one.old === old)) joined.push({ old, new: fresh });
  return joined.filter((one) => one.old !== one.new);
}
