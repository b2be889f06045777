/**
 * The route sheet's geometry: lanes down, elapsed time across. Pure: a document
 * and what is folded give positions in pixels; nothing here draws.
 *
 * Every distinct moment (elapsed time since entry) is a column. Inside a column
 * cards stand side by side in the order in which a walk meets them, so a column
 * is as wide as its longest chain of steps.
 */
import type { Path } from '../journey/problems.ts';
import type { HappeningOrCondition } from '../condition/schema.ts';
import { isWait, lanesOf, type Step, lastsOf } from '../steps/index.ts';
import type { WaitStep } from '../steps/wait.ts';
import { momentWords } from '../tell/words.ts';
import { later, type Elapsed } from '../time/duration.ts';
import { gapRoom } from './gap-words.ts';
import { anchoredWords, toAnchored, type Anchor } from './anchor.ts';

export const CARD_WIDTH = 150;
export const CARD_HEIGHT = 38;
export const ROW_HEIGHT = 52;
const PAD = 14;
/** Between two cards of one moment. */
const GAP = 26;
/** From a card that opens lanes to the first card of a lane in the same moment. */
const INDENT = 40;
/** From the left of a card to the bracket below it. */
const BRACKET = 14;
/** Behind the last card of a column: room for the words of a wait. */
const TRAIL = 60;
const END_WIDTH = 64;
const LAST_COLUMN_TRAIL = 30;

/** Elapsed time since entry, in ruler ms: earliest and latest. */
export interface Moment extends Elapsed {
  label: string;
  x: number;
  width: number;
}

export interface LaneRow {
  /** Path of its steps in the document, as text: what figures and folding go by. */
  id: string;
  path: Path;
  depth: number;
  label: string;
  when: HappeningOrCondition | null;
  /** Key of the step that opens it; `null` for the main lane. */
  openedBy: string | null;
  /** Place among the lanes of that step. */
  place: number;
  y: number;
}

export interface Card {
  step: Exclude<Step, WaitStep>;
  row: number;
  /** Place in its lane's steps. */
  index: number;
  x: number;
  y: number;
  elapsed: Elapsed;
  /** The same as the ruler says it: "Day 2", "2 days before". */
  moment: string;
  folded: boolean;
}

/** The space between two cards of a lane: holds the waits there, and is where steps are put in. */
export interface Gap {
  row: number;
  lane: Path;
  /** Where a new step goes: behind the gap's waits. */
  index: number;
  waits: WaitStep[];
  x1: number;
  x2: number;
  y: number;
  /** Elapsed when a walk comes to the gap, before its waits. */
  before: Elapsed;
}

/** From a card down to the lanes it opens. */
export interface Bracket {
  x: number;
  y1: number;
  y2: number;
  key: string;
}

export interface Join {
  key: string;
  x: number;
  /** Row of the lane that everyone rejoins. */
  y: number;
  /** Lowest lane that comes back. */
  y2: number;
  /** Right edge of the card that opened the lanes: the stretch from there is walked on the lanes below. */
  fromX: number;
}

export interface SheetLayout {
  rows: LaneRow[];
  moments: Moment[];
  cards: Card[];
  gaps: Gap[];
  brackets: Bracket[];
  joins: Join[];
  end: { x: number; y: number };
  width: number;
  height: number;
}

interface Item {
  column: string;
  elapsed: Elapsed;
  /** What stands before it; `indent` is for the card that opens its lane. */
  after: { item: Item; by: number }[];
  width: number;
  offset: number;
  /** Room behind it, in its column. */
  trail: number;
}

interface RawGap extends Omit<Gap, 'x1' | 'x2' | 'y'> {
  from: Item | null;
  /** Starts at the bracket of this card rather than behind it. */
  opened: boolean;
  to: Item;
}

const columnOf = (e: Elapsed): string => `${e.min}/${e.max}`;

/** When people come out of a step that opens no lanes, in a journey that may count from a date of theirs. */
const behind = (step: Step, at: Elapsed, anchor: Anchor | null): Elapsed =>
  (anchor && isWait(step) && toAnchored(step, at, anchor)) || later(at, lastsOf(step));

/**
 * Lays a journey's lanes out. `folded`: keys of steps whose lanes are not shown; `anchor`: the date its ruler counts from,
 * where there is one.
 */
export function layoutSheet(
  lane: Step[],
  folded: ReadonlySet<string> = new Set(),
  anchor: Anchor | null = null
): SheetLayout {
  const rows: LaneRow[] = [];
  const items: Item[] = [];
  const cards: (Omit<Card, 'x' | 'y' | 'moment'> & { item: Item })[] = [];
  const gaps: RawGap[] = [];
  const brackets: { item: Item; row: number; last: number; key: string }[] = [];
  const joins: { item: Item; row: number; last: number; key: string; from: Item }[] = [];

  const make = (elapsed: Elapsed, after: Item['after'], width: number): Item => {
    const item = { column: columnOf(elapsed), elapsed, after, width, offset: PAD, trail: TRAIL };
    items.push(item);
    return item;
  };

  const place = (
    steps: Step[],
    path: Path,
    row: number,
    start: Elapsed,
    opener: Item | null,
    depth: number
  ): { elapsed: Elapsed; last: Item | null; finish: (to: Item) => void } => {
    let elapsed = start;
    // What comes first is waited for: that begins where people enter.
    let last: Item | null = opener ?? (steps[0] && isWait(steps[0]) ? make(start, [], 0) : null);
    let opened = opener !== null;
    let waits: WaitStep[] = [];
    let before = start;
    const gap = (index: number, to: Item): void => {
      // The words of the waits stand behind the card, or behind the bracket that the lane begins with.
      const room = gapRoom(waits, anchor) + (opened ? BRACKET - (last?.width ?? 0) : 0);
      if (last) last.trail = Math.max(last.trail, room);
      gaps.push({ row, lane: path, index, waits, from: last, opened, to, before });
    };
    steps.forEach((step, index) => {
      if (isWait(step)) {
        waits.push(step);
        elapsed = behind(step, elapsed, anchor);
        return;
      }
      // In one moment too the words of a wait stand between two cards.
      const room = gapRoom(waits, anchor);
      const by = opened ? Math.max(INDENT, BRACKET + room) : (last?.width ?? 0) + Math.max(GAP, room);
      const item = make(elapsed, last ? [{ item: last, by }] : [], CARD_WIDTH);
      gap(index, item);
      const lanes = lanesOf(step);
      const isFolded = lanes.length > 0 && folded.has(step.key);
      cards.push({ step, row, index, elapsed, folded: isFolded, item });
      waits = [];
      last = item;
      opened = false;
      if (lanes.length) {
        const ends = lanes.map((l) => laneEnd(l.steps, later(elapsed, l.after ?? null), anchor));
        const after = between(ends);
        if (!isFolded) {
          const placed = lanes.map((l, n) => {
            const lanePath = [...path, index, ...l.path, 'lane'];
            const at =
              rows.push({
                id: lanePath.join('.'),
                path: lanePath,
                depth: depth + 1,
                label: l.label,
                when: l.when,
                openedBy: step.key,
                place: n,
                y: 0
              }) - 1;
            return { at, ...place(l.steps, lanePath, at, later(elapsed, l.after ?? null), item, depth + 1) };
          });
          const join = make(
            after,
            [
              { item, by: CARD_WIDTH + GAP },
              ...placed.flatMap((p) =>
                p.last ? [{ item: p.last, by: p.last === item ? INDENT + GAP : p.last.width + GAP }] : []
              )
            ],
            0
          );
          for (const p of placed) p.finish(join);
          const lowest = Math.max(...placed.map((p) => p.at));
          brackets.push({ item, row, last: lowest, key: step.key });
          joins.push({ item: join, row, last: lowest, key: step.key, from: item });
          last = join;
        }
        elapsed = after;
      } else elapsed = behind(step, elapsed, anchor);
      before = elapsed;
    });
    return { elapsed, last, finish: (to) => gap(steps.length, to) };
  };

  rows.push({ id: 'lane', path: ['lane'], depth: 0, label: 'Everyone', when: null, openedBy: null, place: 0, y: 0 });
  const main = place(lane, ['lane'], 0, { min: 0, max: 0 }, null, 0);
  const end = make(main.elapsed, main.last ? [{ item: main.last, by: main.last.width + GAP }] : [], END_WIDTH);
  main.finish(end);

  rows.forEach((row, i) => (row.y = i * ROW_HEIGHT + ROW_HEIGHT / 2));
  const moments = placeColumns(items, (at) => (anchor ? anchoredWords(at, anchor) : momentWords(at.min, at.max)));
  const x = (item: Item): number => (moments.byColumn.get(item.column)?.x ?? 0) + item.offset;
  const y = (row: number): number => rows[row]?.y ?? 0;
  const bracketX = (item: Item): number => x(item) + BRACKET;
  return {
    rows,
    moments: moments.list,
    cards: cards.map(({ item, ...card }) => ({
      ...card,
      x: x(item),
      y: y(card.row),
      moment: moments.byColumn.get(item.column)?.label ?? ''
    })),
    gaps: gaps.map(({ from, opened, to, ...gap }) => ({
      ...gap,
      x1: from ? (opened ? bracketX(from) : x(from) + from.width) : x(to) - PAD,
      x2: x(to),
      y: y(gap.row)
    })),
    brackets: brackets.map((b) => ({ x: bracketX(b.item), y1: y(b.row) + CARD_HEIGHT / 2, y2: y(b.last), key: b.key })),
    joins: joins.map((j) => ({ key: j.key, x: x(j.item), y: y(j.row), y2: y(j.last), fromX: x(j.from) + CARD_WIDTH })),
    end: { x: x(end), y: y(0) },
    width: moments.width,
    height: rows.length * ROW_HEIGHT
  };
}

/** From the earliest to the latest of several. */
const between = (ends: Elapsed[]): Elapsed => ({
  min: Math.min(...ends.map((e) => e.min)),
  max: Math.max(...ends.map((e) => e.max))
});

/** When a lane that begins at `start` ends. */
function laneEnd(steps: Step[], start: Elapsed, anchor: Anchor | null): Elapsed {
  return steps.reduce((at, step) => {
    const ends = lanesOf(step).map((l) => laneEnd(l.steps, later(at, l.after ?? null), anchor));
    return ends.length ? between(ends) : behind(step, at, anchor);
  }, start);
}

function placeColumns(
  items: Item[],
  words: (at: Elapsed) => string
): { list: Moment[]; byColumn: Map<string, Moment>; width: number } {
  // Items were made in the order in which a walk meets them, so what stands before has its place already.
  for (const item of items) {
    for (const { item: before, by } of item.after) {
      if (before.column === item.column) item.offset = Math.max(item.offset, before.offset + by);
    }
  }
  const found = new Map<string, Moment>();
  for (const { column, elapsed, offset, width, trail } of items) {
    const known = found.get(column) ?? { ...elapsed, label: words(elapsed), x: 0, width: 0 };
    known.width = Math.max(known.width, offset + width + trail);
    found.set(column, known);
  }
  // Of two moments with one latest time the wider stands later: it is where lanes have met again.
  const list = [...found.values()].sort((a, b) => a.max - b.max || b.min - a.min);
  const last = list.at(-1);
  if (last) last.width += LAST_COLUMN_TRAIL - TRAIL;
  let x = 0;
  for (const moment of list) {
    moment.x = x;
    x += moment.width;
  }
  return { list, byColumn: found, width: x };
}
