/** What of a sheet is in view: how far it is scrolled, how large it is drawn, what lies so near that it is drawn at all. */
import { tick } from 'svelte';
import { eachStep } from '$core/journey/walk-document.ts';
import { CARD_WIDTH, ROW_HEIGHT, type SheetLayout } from '$core/sheet/layout.ts';

/** Left of the field: the lanes; above it: the ruler. Px. */
export const LANES_WIDTH = 208;
export const RULER_HEIGHT = 38;
/** So many px around what is in view are drawn too. */
const AHEAD = 240;
/** Below this cards show only their icon and their figure. */
const SMALL = 0.6;
const SMALLEST = 0.2;

export class SheetView {
  /** The part that is in view, in px of the field. */
  area = $state.raw({ x: 0, y: 0, width: 1600, height: 1200 });
  /** What of the field is to be seen beside the lanes and below the ruler, to the px: what is drawn does not depend on it. */
  exactly = $state.raw({ x: 0, y: 0, width: 1600, height: 1200 });
  zoom = $state(1);

  constructor(
    private readonly sheet: () => HTMLElement,
    private readonly layout: () => SheetLayout
  ) {}

  get small(): boolean {
    return this.zoom < SMALL;
  }

  /** Whether what stretches from `x1` to `x2` at `y` is drawn. */
  near(x1: number, x2: number, y: number): boolean {
    const { x, y: top, width, height } = this.area;
    return x2 > x - AHEAD && x1 < x + width + AHEAD && y > top - AHEAD && y < top + height + AHEAD;
  }

  /** Looks where the sheet is scrolled to. Small movements stay within what is drawn ahead. */
  look(): void {
    const { scrollLeft, scrollTop, clientWidth, clientHeight } = this.sheet();
    const [x, y, width, height] = [scrollLeft, scrollTop, clientWidth, clientHeight].map((v) => v / this.zoom) as [
      number,
      number,
      number,
      number
    ];
    const before = this.area;
    this.exactly = { x, y, width: width - LANES_WIDTH, height: height - RULER_HEIGHT };
    const moved = Math.abs(x - before.x) >= AHEAD / 2 || Math.abs(y - before.y) >= AHEAD / 2;
    if (moved || width !== before.width || height !== before.height) this.area = { x, y, width, height };
  }

  async zoomTo(to: number, corner: { x: number; y: number } | null = null): Promise<void> {
    this.zoom = Math.min(1, Math.max(SMALLEST, to));
    await tick();
    if (corner) this.sheet().scrollTo(corner.x * this.zoom - 60, corner.y * this.zoom - 60);
    this.look();
  }

  /** The whole journey in view, or as much of it as can still be told apart. */
  fit(): Promise<void> {
    const { clientWidth, clientHeight } = this.sheet();
    const { width, height } = this.layout();
    return this.zoomTo(Math.min(clientWidth / (LANES_WIDTH + width), clientHeight / (RULER_HEIGHT + height)), {
      x: 0,
      y: 0
    });
  }

  /** A step with all its lanes in view; without one, all of it. */
  fitStep(key: string | null): Promise<void> {
    const { cards } = this.layout();
    const card = cards.find((c) => c.step.key === key);
    if (!card) return this.fit();
    const inside = new Set(eachStep({ lane: [card.step] }).map(({ step }) => step.key));
    const all = cards.filter((c) => inside.has(c.step.key));
    const x = Math.max(...all.map((c) => c.x + CARD_WIDTH)) - card.x;
    const y = Math.max(...all.map((c) => c.y)) - card.y + ROW_HEIGHT;
    const { clientWidth, clientHeight } = this.sheet();
    return this.zoomTo(Math.min((clientWidth - 300) / x, (clientHeight - 90) / y), { x: card.x, y: card.y - 30 });
  }

  /** Scrolls to a place that may not be drawn yet. */
  reveal(x1: number, x2: number, y: number): void {
    if (this.near(x1, x2, y)) return;
    this.scrollTo(x1 - 200, y - 200);
  }

  /** Scrolls so that a point of the field is at the top left. */
  scrollTo(x: number, y: number): void {
    this.sheet().scrollTo(Math.max(0, x * this.zoom), Math.max(0, y * this.zoom));
    this.look();
  }
}
