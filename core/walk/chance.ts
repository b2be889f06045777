/**
 * Chance that never changes: FNV-1a (32 bits) over the UTF-8 of journey, step
 * and person, mixed by the murmur3 finaliser. So the same person always takes
 * the same lane. Rules: docs/journey-language.md, "Chance".
 */
const encoder = new TextEncoder();

/** A number from 0 up to 1. `step` is empty for a hold-out. */
export function chance(journey: string, step: string, person: string): number {
  let h = 0x811c9dc5;
  for (const byte of encoder.encode(`${journey}\n${step}\n${person}`)) h = Math.imul(h ^ byte, 0x01000193);
  h ^= h >>> 16;
  h = Math.imul(h, 0x85ebca6b);
  h ^= h >>> 13;
  h = Math.imul(h, 0xc2b2ae35);
  h ^= h >>> 16;
  return (h >>> 0) / 2 ** 32;
}
