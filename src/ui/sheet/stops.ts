/** Moving about the sheet by keyboard: along a lane from gap to card to gap, and between lanes. */
import type { SheetLayout } from '$core/sheet/layout.ts';
import type { Selection } from './editor.svelte.ts';

export interface Stop {
  selection: Selection;
  row: number;
  x: number;
}

/** Whether two selections are the same place. */
export function same(a: Selection, b: Selection): boolean {
  if (a.at === 'card') return b.at === 'card' && a.key === b.key;
  if (a.at === 'gap') return b.at === 'gap' && a.index === b.index && a.lane.join('.') === b.lane.join('.');
  return b.at === 'journey';
}

/** Id of a place in the page. */
export function placeId(place: Selection): string {
  if (place.at === 'journey') return 'at-journey';
  return place.at === 'card' ? `at-${place.key}` : `at-${place.lane.join('.')}-${place.index}`;
}

/** Every place that can be selected, lane by lane, in order. The journey itself stands before the first. */
export function stopsOf(layout: SheetLayout): Stop[] {
  const stops: Stop[] = [
    { selection: { at: 'journey' }, row: 0, x: -1 },
    ...layout.gaps.map((g) => ({
      selection: { at: 'gap' as const, lane: g.lane, index: g.index },
      row: g.row,
      x: (g.x1 + g.x2) / 2
    })),
    ...layout.cards.map((c) => ({ selection: { at: 'card' as const, key: c.step.key }, row: c.row, x: c.x + 1 }))
  ];
  return stops.sort((a, b) => a.row - b.row || a.x - b.x);
}

export function nextStop(
  stops: Stop[],
  from: Selection,
  key: 'ArrowLeft' | 'ArrowRight' | 'ArrowUp' | 'ArrowDown' | 'Home' | 'End'
): Selection | null {
  const at = stops.findIndex((s) => same(s.selection, from));
  const here = stops[at] ?? stops[0];
  if (!here) return null;
  const row = stops.filter((s) => s.row === here.row);
  if (key === 'Home') return row[0]?.selection ?? null;
  if (key === 'End') return row.at(-1)?.selection ?? null;
  if (key === 'ArrowLeft' || key === 'ArrowRight') {
    const to = stops[at + (key === 'ArrowRight' ? 1 : -1)];
    return to?.row === here.row ? to.selection : null;
  }
  const rows = [...new Set(stops.map((s) => s.row))];
  const other = rows[rows.indexOf(here.row) + (key === 'ArrowDown' ? 1 : -1)];
  const candidates = stops.filter((s) => s.row === other);
  // The nearest of its kind: from a card to a card, where there is one close by.
  const distance = (s: Stop): number => Math.abs(s.x - here.x) + (s.selection.at === here.selection.at ? 0 : 60);
  return candidates.sort((a, b) => distance(a) - distance(b))[0]?.selection ?? null;
}
