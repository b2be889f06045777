/** How sure a rate is: Wilson's score interval for a share (E. B. Wilson, 1927). */

export interface Interval {
  low: number;
  high: number;
}

/** z of a two-sided 90 % interval. */
const Z90 = 1.6448536269514722;

/** The 90 % interval of `reached` of `entered`; the whole range where nobody entered. */
export function goalInterval(reached: number, entered: number): Interval {
  if (entered <= 0) return { low: 0, high: 1 };
  const share = reached / entered;
  const z2 = Z90 ** 2;
  const middle = share + z2 / (2 * entered);
  const half = Z90 * Math.sqrt((share * (1 - share)) / entered + z2 / (4 * entered ** 2));
  const whole = 1 + z2 / entered;
  return { low: Math.max(0, (middle - half) / whole), high: Math.min(1, (middle + half) / whole) };
}
