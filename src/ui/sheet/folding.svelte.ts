/** Which lanes of a sheet are folded away: by hand, or all but one to look at it alone. */
import type { Path } from '$core/journey/problems.ts';
import type { Journey } from '$core/journey/schema.ts';
import { eachStep } from '$core/journey/walk-document.ts';
import { lanesOf } from '$core/steps/index.ts';

export class Folding {
  /** Keys of the steps whose lanes are not shown. */
  keys = $state.raw<ReadonlySet<string>>(new Set());
  /** What was folded before one lane was looked at alone; `null` while none is. */
  private before = $state.raw<ReadonlySet<string> | null>(null);

  /** Whether one lane is looked at alone. */
  get alone(): boolean {
    return this.before !== null;
  }

  toggle(key: string): void {
    const keys = new Set(this.keys);
    if (!keys.delete(key)) keys.add(key);
    this.keys = keys;
  }

  /** Folds all lanes but one, with what is inside it and what it is inside of. */
  only(document: Pick<Journey, 'lane'>, lane: Path): void {
    const own = lane.join('.');
    this.before ??= this.keys;
    this.keys = new Set(
      eachStep(document).flatMap(({ step, path }) => {
        const at = path.join('.');
        return lanesOf(step).length && !own.startsWith(`${at}.`) && !at.startsWith(`${own}.`) ? [step.key] : [];
      })
    );
  }

  /** All lanes as they were before one was looked at alone. */
  all(): void {
    if (this.before) this.keys = this.before;
    this.before = null;
  }
}
