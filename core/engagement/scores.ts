/** Score models: decay and caps, floors and ceilings. Rules: docs/journey-language.md, "Settings of the workspace". */
import type { Happening } from '../person/happening.ts';
import type { PersonState, ScoreHistory } from '../person/state.ts';
import { addDuration } from '../time/civil.ts';
import type { Duration } from '../time/duration.ts';
import type { Engagement, ScoreRule } from './models.ts';

/** The zone of what the settings say: the person's, then the settings'. */
export function settingsZone(person: PersonState, workspace: Pick<Engagement, 'zone'>): string {
  const own = person.fields.get('zone');
  return typeof own === 'string' && own !== '' ? own : workspace.zone;
}

/** `n` times a duration. */
const times = (d: Duration, n: number): Duration => ({
  years: d.years * n,
  months: d.months * n,
  days: d.days * n,
  ms: d.ms * n
});

/** A person's points at an instant, with all decay until then taken off. No points are 0. */
export function scoreNow(workspace: Engagement, person: PersonState, name: string, at: number): number {
  const points = person.scores.get(name) ?? 0;
  const model = workspace.scores.get(name);
  const history = person.scoreHistory?.get(name);
  if (!model?.decay || !history || points === 0) return points;
  const zone = settingsZone(person, workspace);
  let left = points;
  while (left !== 0 && addDuration(zone, history.risen, times(model.decay.every, history.decays + 1)) <= at) {
    history.decays++;
    const { by } = model.decay;
    const next = by === 'half' ? Math.trunc(left / 2) || 0 : left > 0 ? Math.max(0, left - by) : Math.min(0, left + by);
    const kept = Math.min(model.ceiling, Math.max(model.floor, next));
    if (kept === left) break;
    left = kept;
  }
  if (left !== points) person.scores.set(name, left);
  return left;
}

function historyOf(person: PersonState, name: string, at: number): ScoreHistory {
  const all = (person.scoreHistory ??= new Map<string, ScoreHistory>());
  let found = all.get(name);
  if (!found) all.set(name, (found = { risen: at, decays: 0, added: {} }));
  return found;
}

/** Starts the count of decay for scores that a person had before anything was recorded. */
export function beginDecay(workspace: Engagement, person: PersonState, at: number): void {
  for (const name of person.scores.keys()) if (workspace.scores.get(name)?.decay) historyOf(person, name, at);
}

/** What a change of points came to. */
export interface ScoreChange {
  score: string;
  before: number;
  points: number;
}

/** Adds to or sets a score, within its floor and ceiling. A rise that a ceiling stops does not restart decay. */
export function changeScore(
  workspace: Engagement,
  person: PersonState,
  name: string,
  change: { add: number } | { set: number },
  at: number
): ScoreChange {
  const before = scoreNow(workspace, person, name, at);
  const model = workspace.scores.get(name);
  const wanted = 'add' in change ? before + change.add : change.set;
  const points = model ? Math.min(model.ceiling, Math.max(model.floor, wanted)) : wanted;
  person.scores.set(name, points);
  if (model?.decay && points > before) {
    const history = historyOf(person, name, at);
    history.risen = at;
    history.decays = 0;
  }
  return { score: name, before, points };
}

/** What a rule may still add at an instant: a rule at its cap adds what is left. */
function allowance(rule: ScoreRule, history: ScoreHistory, index: number, zone: string, at: number): number {
  if (!rule.cap) return rule.add;
  const { points, per } = rule.cap;
  const kept = (history.added[index] ?? []).filter((a) => at < addDuration(zone, a.at, per));
  history.added[index] = kept;
  const room = points - kept.reduce((sum, a) => sum + Math.abs(a.points), 0);
  return rule.add < 0 ? -Math.max(0, Math.min(-rule.add, room)) : Math.max(0, Math.min(rule.add, room));
}

/** Applies all rules of all score models that a happening meets, in their order; the changes that really came. */
export function scoreHappening(workspace: Engagement, person: PersonState, h: Happening, at: number): ScoreChange[] {
  const changes: ScoreChange[] = [];
  for (const model of workspace.scores.values()) {
    model.rules.forEach((rule, i) => {
      if (rule.name !== h.name || !rule.match(h, null, settingsZone(person, workspace))) return;
      const history = historyOf(person, model.name, at);
      const add = rule.cap ? allowance(rule, history, i, settingsZone(person, workspace), at) : rule.add;
      if (add === 0) return;
      if (rule.cap) (history.added[i] ??= []).push({ at, points: add });
      const change = changeScore(workspace, person, model.name, { add }, at);
      if (change.before !== change.points) changes.push(change);
    });
  }
  return changes;
}
