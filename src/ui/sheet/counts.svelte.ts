/** How many people meet the conditions of a form now: asked for a moment after the last key, and told to all its parts. */
import { getContext, setContext } from 'svelte';
import { eachCondition } from '$core/condition/evaluate.ts';
import type { Condition } from '$core/condition/schema.ts';
import { isBlank } from '$core/check/unfinished.ts';
import { send } from '$ui/api.ts';
import type { Counts, Counted } from '$server/people/counting.ts';

const KEY = 'condition-counts';
const AFTER_MS = 120;
const AGAIN_MS = 3000;
/** What one question to the server may hold. */
const MOST = 40;

export class ConditionCounts {
  private known = $state.raw(new Map<string, Counted>());
  of = $state<number | null>(null);
  estimatedFrom = $state<number | null>(null);
  problem = $state('');
  private timer: ReturnType<typeof setTimeout> | null = null;
  private asked = 0;

  /** What is known of a condition; `null` while it is not. */
  get(condition: Condition): Counted | null {
    return this.known.get(JSON.stringify(condition)) ?? null;
  }

  /** Asks for a condition and each of its parts, once nothing more is typed. What asks nothing yet is not asked for. */
  follow(condition: Condition): void {
    const all = eachCondition(condition).filter((c) => !isBlank(c));
    const wanted = [...new Map(all.map((c) => [JSON.stringify(c), c])).values()].slice(0, MOST);
    if (this.timer) clearTimeout(this.timer);
    if (!wanted.length) return;
    this.timer = setTimeout(() => void this.askAll(wanted), AFTER_MS);
  }

  /** The whole first, which is there in a moment; then each part. */
  private async askAll(conditions: Condition[]): Promise<void> {
    if (conditions.length > 1 && !(await this.ask(conditions.slice(0, 1), () => void this.askAll(conditions)))) return;
    await this.ask(conditions, () => void this.askAll(conditions));
  }

  stop(): void {
    if (this.timer) clearTimeout(this.timer);
    this.asked++;
  }

  /** False where it was not told, or something newer was asked meanwhile. */
  private async ask(conditions: Condition[], again: () => void): Promise<boolean> {
    const mine = ++this.asked;
    const answer = await send<Counts>('POST', '/api/people/count', { conditions });
    // Something newer was asked meanwhile.
    if (mine !== this.asked) return false;
    this.problem = answer.ok ? '' : answer.message;
    if (!answer.ok) {
      // Too much is being counted just now, or the server is away: that passes.
      if (answer.status === 0 || answer.status === 503) this.timer = setTimeout(again, AGAIN_MS);
      return false;
    }
    const { counts, of, estimatedFrom } = answer.data;
    this.of = of;
    this.estimatedFrom = estimatedFrom;
    const told = conditions.flatMap((c, i) => (counts[i] ? [[JSON.stringify(c), counts[i]] as const] : []));
    // What was known of the other parts holds until they are told anew.
    this.known = new Map(conditions.length > 1 ? told : [...this.known, ...told].slice(-2 * MOST));
    return true;
  }
}

export const provideCounts = (): ConditionCounts => setContext(KEY, new ConditionCounts());
export const useCounts = (): ConditionCounts => getContext<ConditionCounts>(KEY);
