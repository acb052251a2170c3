/** How numbers are written: nothing but zero is written as 0. */

const NEAR_ZERO = 1e-6;
// Made once: making one takes longer than writing a hundred numbers.
const SMALL = new Intl.NumberFormat("en", { maximumSignificantDigits: 15, useGrouping: false });

/**
 * A way to write numbers with so many decimals; of those near zero the figures that stand behind
 * their zeros.
 */
export function writer(decimals, apart) {
  const usual = new Intl.NumberFormat("en", {
    maximumFractionDigits: decimals,
    useGrouping: apart,
  });
  return (number) => (number !== 0 && Math.abs(number) < NEAR_ZERO ? SMALL : usual).format(number);
}
