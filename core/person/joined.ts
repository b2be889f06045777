/**
 * Two states that turn out to be one person's: what the engine kept of either, as though one had done it all. Numbers of
 * walks and places of records differ between the two; whoever joins them says what they have become.
 */
import { scoreNow } from '../engagement/scores.ts';
import type { Engagement } from '../engagement/models.ts';
import type { KeptState } from './kept.ts';
import type { Order, PersonState, ScoreHistory } from './state.ts';

/** What numbers of one of the two have become. */
export interface Renumbered {
  /** Added to the numbers of walks. */
  walks: number;
  /** The new place of a record. */
  place: (record: number) => number;
}

/** The part of a state that has no table, of both together. Points are as they stand at `at`, UTC ms, decay taken off. */
export function joinStates(
  workspace: Engagement,
  [kept, keptAs]: [PersonState, Renumbered],
  [gone, goneAs]: [PersonState, Renumbered],
  at: number,
  /** The place that the next record gets. */
  order: number
): { state: { [K in keyof Required<KeptState>]: KeptState[K] }; scores: Map<string, number> } {
  const scores = joinScores(workspace, kept, gone, at);
  const both = <T>(of: (person: PersonState, as: Renumbered) => readonly T[]): T[] => [
    ...of(kept, keptAs),
    ...of(gone, goneAs)
  ];
  const tasks = both((p, as) => p.tasks.map((t) => ({ ...t, walk: t.walk + as.walks, order: as.place(t.order) })));
  const orders = joinOrders(both((p, as) => (p.orders ?? []).map((o) => placed(o, as))));
  return {
    scores,
    state: {
      entered: [...new Set(both((p) => [...p.entered]))],
      nextWalk: Math.max(kept.nextWalk + keptAs.walks, gone.nextWalk + goneAs.walks),
      tasks: tasks.sort((a, b) => a.order - b.order),
      orders: orders.length ? orders : undefined,
      // Held against the segments again by whoever joins them.
      looked: Math.max(kept.looked, gone.looked),
      // Whatever is behind in either is worked out from what is on record of both.
      scored: Math.min(kept.scored, gone.scored),
      scoreHistory: joinMaps(kept.scoreHistory, gone.scoreHistory, joinHistories),
      rungs: joinMaps(kept.rungs, gone.rungs, (a, b) => (b.last > a.last ? b : a)),
      dated: joinMaps(kept.dated, gone.dated, Math.max),
      missed: joinMaps(missedOf(kept, keptAs), missedOf(gone, goneAs), (a, b) => [...a, ...b].sort((x, y) => x - y)),
      promised: [...new Set(both((p) => p.promised))],
      order
    }
  };
}

const placed = (order: Order, as: Renumbered): Order =>
  order.record === undefined ? order : { ...order, record: as.place(order.record) };

/** One order that was told of both is one. */
function joinOrders(orders: Order[]): Order[] {
  const known = new Map<string, Order>();
  return orders
    .filter((o) => {
      const key = JSON.stringify([o.id, o.at]);
      if (o.id !== '' && known.has(key)) return false;
      known.set(key, o);
      return true;
    })
    .sort((a, b) => a.at - b.at);
}

const missedOf = (person: PersonState, as: Renumbered): Map<string, number[]> | null =>
  person.missed && new Map([...person.missed].map(([journey, records]) => [journey, records.map(as.place)]));

function joinMaps<V>(
  a: ReadonlyMap<string, V> | null,
  b: ReadonlyMap<string, V> | null,
  join: (a: V, b: V) => V
): [string, V][] | undefined {
  if (!a && !b) return undefined;
  const all = new Map(a ?? []);
  for (const [key, value] of b ?? []) {
    const own = all.get(key);
    all.set(key, own === undefined ? value : join(own, value));
  }
  return [...all];
}

function joinHistories(a: ScoreHistory, b: ScoreHistory): ScoreHistory {
  const later = b.risen > a.risen ? b : a;
  const added: ScoreHistory['added'] = { ...a.added };
  for (const [rule, times] of Object.entries(b.added))
    added[Number(rule)] = [...(added[Number(rule)] ?? []), ...times].sort((x, y) => x.at - y.at);
  return { risen: later.risen, decays: later.decays, added };
}

/** Points of both together, within each model's floor and ceiling. */
function joinScores(workspace: Engagement, a: PersonState, b: PersonState, at: number): Map<string, number> {
  const names = new Set([...a.scores.keys(), ...b.scores.keys()]);
  return new Map(
    [...names].map((name) => {
      const sum = scoreNow(workspace, a, name, at) + scoreNow(workspace, b, name, at);
      const model = workspace.scores.get(name);
      return [name, model ? Math.min(model.ceiling, Math.max(model.floor, sum)) : sum];
    })
  );
}
