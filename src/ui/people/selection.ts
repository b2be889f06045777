/** Whom the table of people shows, as its address says it. */
import { hasMoreParts, isTooDeep, MOST_RULE_PARTS } from '$core/journey/depth.ts';
import { conditionSchema, type Condition } from '$core/condition/schema.ts';
import { unfitInside } from '$core/text/text.ts';
import type { Selection } from '$server/selection/selection.ts';

/** Longer addresses are not taken by every server on the way. */
const LONGEST = 6000;

/** The rule in an address; `null` where there is none, `undefined` where it cannot be read. */
export function whereFrom(text: string | null): Condition | null | undefined {
  if (!text) return null;
  if (text.length > LONGEST) return undefined;
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return undefined;
  }
  if (isTooDeep(value) || hasMoreParts(value, MOST_RULE_PARTS) || unfitInside(value)) return undefined;
  const read = conditionSchema.safeParse(value);
  return read.success ? read.data : undefined;
}

/** All that an address narrows people by; `null` where it cannot be read. */
export function selectionFrom(parameters: URLSearchParams): Selection | null {
  const where = whereFrom(parameters.get('where'));
  if (where === undefined) return null;
  const tag = parameters.get('tag');
  const text = (parameters.get('q') ?? '').slice(0, 200);
  const parts: Condition[] = [...(tag ? [{ tag: tag.slice(0, 200) }] : []), ...(where ? [where] : [])];
  const [first] = parts;
  if (unfitInside([tag, text])) return null;
  // Those ticked by hand, and nobody else.
  const ticked = parameters.get('ids');
  if (ticked !== null) {
    if (ticked.length > LONGEST || !/^\d{1,15}(,\d{1,15})*$/.test(ticked)) return null;
    return { ids: ticked.split(',').map(Number) };
  }
  return {
    ...(first ? { where: parts.length === 1 ? first : { all: parts } } : {}),
    ...(text.trim() ? { text } : {})
  };
}
