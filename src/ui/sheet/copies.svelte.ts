/** What copies carry that nobody has looked at yet: kept in the browser, a journey at a time, until somebody has said yes to it. */
import { carriedBy, type Carried } from '$core/edit/carried.ts';
import { placeOf } from '$core/edit/edit.ts';
import type { Journey } from '$core/journey/schema.ts';
import type { Step } from '$core/steps/index.ts';
import { namingOf } from '$core/tell/read-through.ts';
import * as shelf from '$ui/kit/shelf.ts';

/** The steps of a copy, and what of them is to be looked at: by what each is called, as it stood in the original. */
interface Copy {
  keys: string[];
  carried: { id: string; raw: string }[];
}

export class Copies {
  private list = $state.raw<Copy[]>([]);
  private readonly name: string;

  constructor(journey: string) {
    this.name = `ambulo-copies/${journey}`;
  }

  /** Takes up what an earlier page had left. What is kept under our name by something else is no copy. */
  restore(): void {
    const kept = shelf.take<unknown>(this.name);
    if (!Array.isArray(kept)) return;
    this.list = (kept as Copy[]).filter((c) => Array.isArray(c?.keys) && Array.isArray(c?.carried));
  }

  /** Has everything that a copy carries looked at; says how many values that is. */
  add(document: Journey, steps: readonly Step[]): number {
    const carried = carriedBy(steps, namingOf(document));
    if (carried.length) {
      this.keep([
        ...this.list,
        { keys: steps.map((s) => s.key), carried: carried.map(({ id, raw }) => ({ id, raw })) }
      ]);
    }
    return carried.length;
  }

  /** What is still as in the original, and nobody has said yes to. */
  toReview(document: Journey): Carried[] {
    if (!this.list.length) return [];
    const name = namingOf(document);
    return this.list.flatMap(({ keys, carried }) => {
      const steps = keys.flatMap((key) => placeOf(document, key)?.step ?? []);
      const now = new Map(carriedBy(steps, name).map((c) => [c.id, c]));
      return carried.flatMap((c) => {
        const there = now.get(c.id);
        return there?.raw === c.raw ? [there] : [];
      });
    });
  }

  /** Says yes to what copies carry: it is right as it is. */
  approve(items: Carried[]): void {
    const right = new Set(items.map((c) => c.id));
    this.keep(
      this.list
        .map(({ keys, carried }) => ({ keys, carried: carried.filter((c) => !right.has(c.id)) }))
        .filter(({ carried }) => carried.length)
    );
  }

  private keep(list: Copy[]): void {
    this.list = list;
    if (list.length) shelf.put(this.name, list);
    else shelf.clear(this.name);
  }
}
