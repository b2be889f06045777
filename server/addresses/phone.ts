/**
 * Phone numbers in the form in which they are kept (E.164). Numbers that are written so already, as lists of other systems
 * mostly have them, need only be held against the lengths their country has: a hundredth of the work of reading any other.
 */
import {
  type CountryCode,
  getCountries,
  getCountryCallingCode,
  isSupportedCountry,
  Metadata,
  parsePhoneNumberFromString
} from 'libphonenumber-js/min';

/** Of codes that several countries share: the one by whose lengths their numbers go. Others that share one are read in full. */
const MAIN: Record<string, CountryCode> = { 1: 'US', 7: 'RU', 39: 'IT', 44: 'GB', 47: 'NO', 61: 'AU', 358: 'FI' };
/** Lengths of national numbers by calling code. */
let lengths: Map<string, ReadonlySet<number>> | null = null;

function lengthsOf(code: string): ReadonlySet<number> | undefined {
  if (!lengths) {
    const countries = new Map<string, CountryCode[]>();
    for (const country of getCountries()) {
      const of = getCountryCallingCode(country);
      countries.set(of, [...(countries.get(of) ?? []), country]);
    }
    const metadata = new Metadata();
    lengths = new Map();
    for (const [of, sharing] of countries) {
      const country = sharing.length === 1 ? sharing[0] : MAIN[of];
      if (country) metadata.selectNumberingPlan(country);
      lengths.set(of, new Set(country ? metadata.numberingPlan?.possibleLengths() : []));
    }
  }
  return lengths.get(code);
}

/** Calling codes have one to three digits, and none begins another. */
function isPlain(text: string): boolean {
  if (!/^\+[1-9]\d{6,14}$/.test(text)) return false;
  for (let n = 1; n <= 3; n++) {
    const known = lengthsOf(text.slice(1, 1 + n));
    // A nought in front may be one that is only dialled at home.
    if (known) return text[1 + n] !== '0' && known.has(text.length - 1 - n);
  }
  return false;
}

/** The number, or `null` where it can be none. `country`: of those that are written without one. */
export function readPhone(text: string, country: string | null): string | null {
  if (isPlain(text)) return text;
  const number = parsePhoneNumberFromString(text, country && isSupportedCountry(country) ? country : undefined);
  return number?.isPossible() ? number.number : null;
}
