/** Amounts of money: decimals with at most four places, computed exactly as whole ten-thousandths. */

/** One unit of an amount in ten-thousandths. */
export const UNIT = 10_000;

/** An amount as whole ten-thousandths; `null` where it is no decimal with at most four places, or too large to be exact. */
export function parseAmount(value: string | number): number | null {
  const text = typeof value === 'number' ? plain(value) : value.trim();
  const m = /^([+-]?)(\d+)(?:\.(\d{1,4}))?$/.exec(text);
  if (!m) return null;
  const whole = Number(m[2]) * UNIT + Number((m[3] ?? '').padEnd(4, '0'));
  return Number.isSafeInteger(whole) ? (m[1] === '-' ? -whole : whole) : null;
}

/** A number written without an exponent, where that is how it is meant. */
function plain(value: number): string {
  const text = String(value);
  return /e/i.test(text) && Number.isFinite(value) ? value.toFixed(10).replace(/\.?0+$/, '') : text;
}
