/** Orders and what is left of them after refunds, in whole ten-thousandths. Rules: docs/journey-language.md, "Conditions". */
import { parseAmount } from './amount.ts';
import type { Happening, OrderLine } from './happening.ts';
import type { Order, PersonState } from './state.ts';

const NONE: readonly Order[] = [];
export const ordersOf = (person: PersonState): readonly Order[] => person.orders ?? NONE;

const worth = (line: OrderLine): number => (parseAmount(line.price ?? 0) ?? 0) * (line.quantity ?? 1);
const total = (lines: OrderLine[]): number => lines.reduce((sum, line) => sum + worth(line), 0);

/** Takes an order in. */
export function addOrder(person: PersonState, h: Happening): void {
  const items = h.items ?? [];
  (person.orders ??= []).push({
    id: h.order ?? '',
    at: h.at,
    ...(h.record === undefined ? {} : { record: h.record }),
    left: h.amount === undefined ? total(items) : (parseAmount(h.amount) ?? 0),
    gone: false,
    lines: items.map((line) => ({ sku: line.sku, category: line.category, left: worth(line), total: worth(line) })),
    items
  });
}

/**
 * Takes a refund off its order. Gives the refund with what it leaves unsaid filled in: without amount and items it is the
 * whole order, with items alone it amounts to them.
 */
export function refund(person: PersonState, h: Happening): Happening {
  const order = person.orders?.findLast((o) => o.id === h.order);
  const whole = h.amount === undefined && !h.items;
  const units = h.amount !== undefined ? (parseAmount(h.amount) ?? 0) : h.items ? total(h.items) : (order?.left ?? 0);
  const full: Happening = {
    ...h,
    amount: (units / 10_000).toFixed(4),
    ...(whole && order ? { items: order.items } : {})
  };
  if (!order) return full;
  order.left = Math.max(0, order.left - units);
  if (whole) for (const line of order.lines) line.left = 0;
  for (const item of h.items ?? []) {
    let back = worth(item);
    for (const line of order.lines) {
      if (line.sku !== item.sku) continue;
      const part = Math.min(back, line.left);
      line.left -= part;
      back -= part;
    }
  }
  if (whole || (order.left === 0 && units > 0)) order.gone = true;
  return full;
}

/** What is left of an order, or of those lines of it that fit; `null` where it does not count. */
export function remaining(
  order: Order,
  query: { product?: string | undefined; category?: string | undefined }
): number | null {
  if (order.gone) return null;
  if (query.product === undefined && query.category === undefined) return order.left;
  const lines = order.lines.filter(
    (line) =>
      (query.product === undefined || line.sku === query.product) &&
      (query.category === undefined || line.category === query.category) &&
      (line.left > 0 || line.total === 0)
  );
  return lines.length ? lines.reduce((sum, line) => sum + line.left, 0) : null;
}
