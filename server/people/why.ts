/**
 * Why: a decision of the engine about one person, taken apart. Each condition that was asked, part by part, with the value that
 * they had then; and why a journey does not let somebody in now.
 */
import { explain, type Explained } from '../../core/condition/explain.ts';
import { compileFilter } from '../../core/condition/happening.ts';
import {
  eachRule,
  isHappening,
  type Condition,
  type HappeningOrCondition,
  type Reason
} from '../../core/condition/schema.ts';
import type { Asked } from '../../core/condition/evaluate.ts';
import { refusalOf, newWalk, type Refusal } from '../../core/person/entering.ts';
import type { JourneyPlan } from '../../core/journey/compile.ts';
import { kindOf } from '../../core/steps/index.ts';
import { ruleWords } from '../../core/tell/condition.ts';
import { restoreWalk } from '../../core/walk/kept.ts';
import { zoneOf } from '../../core/walk/surroundings.ts';
import type { Walk } from '../../core/walk/walk.ts';
import { now } from '../workspace/clock.ts';
import type { Db } from '../db/pool.ts';
import { loadPeople } from '../engine/load.ts';
import { plansOf } from '../engine/plans.ts';
import { personThen, type Then } from './then.ts';

export interface Why {
  /** What was decided, in a sentence. */
  because: string;
  /** When it was asked, UTC ms. */
  at: number;
  /** What was asked, in the order in which it was. */
  rules: { label: string; decided: boolean; asked: Explained }[];
  /** Facts of which it is not on record what they were then. */
  unknown: string[];
}

interface Line {
  walk_id: number | null;
  journey_id: number;
  version: number;
  at: number;
  record: number | null;
  step: string | null;
  what: string;
  detail: Record<string, unknown>;
}

/** Why a line of somebody's trail says what it says; `null` where there is none. */
export async function whyLine(db: Db, id: number, trail: number): Promise<Why | null> {
  const { rows } = await db.query<Line>(
    'select walk_id, journey_id, version, at, record, step, what, detail from trail where person_id = $1 and id = $2',
    [id, trail]
  );
  const [line] = rows;
  const plans = plansOf(db);
  if (!line) return null;
  const { workspace } = await plans.settings.read(db);
  await plans.ensure(db, [line]);
  const plan = plans.found(line.journey_id, line.version);
  const then = await personThen(db, id, { record: line.record ?? 0, at: line.at }, workspace, plans);
  if (!plan || !then) return null;
  const walk = line.walk_id === null ? null : await walkOf(db, id, line.walk_id, plan.key);
  const zone = zoneOf(then.person, plan, workspace.zone);
  const asked: Asked = {
    person: then.person,
    walk: walk ?? newWalk(plan, then.person, line.at, 'hand', undefined, workspace.zone),
    at: line.at,
    zone,
    workspace
  };
  const said = sayLine(plan, line, asked);
  return { ...said, at: line.at, unknown: unknownOf(then, said.rules) };
}

type Said = Omit<Why, 'at' | 'unknown'>;

function sayLine(plan: JourneyPlan, line: Line, asked: Asked): Said {
  const step = line.step === null ? undefined : plan.byKey.get(line.step)?.step;
  const rule = (label: string, condition: Condition, decided: boolean): Why['rules'][number] => ({
    label,
    decided,
    asked: explain(condition, plan.key, asked, titleIn(plan))
  });
  const { detail } = line;
  switch (line.what) {
    case 'took': {
      const lane = String(detail['lane']);
      if (step?.kind === 'branch' && step.by === 'rules') {
        const place = step.lanes.findIndex((l) => l.label === lane);
        // Behind the one that was taken nothing is asked any more.
        const lanes = place < 0 ? step.lanes : step.lanes.slice(0, place + 1);
        return {
          because:
            place < 0
              ? `${step.lanes.length === 1 ? 'The rule did not hold' : `None of the ${step.lanes.length} rules held`}: they took “${lane}”.`
              : `The rule of “${lane}” was the first that held.`,
          rules: lanes.map((l, i) => rule(l.label, l.when, i === place))
        };
      }
      if (step?.kind === 'branch') {
        const had =
          'field' in step.of
            ? `${step.of.field} was ${textOf(asked.person.fields.get(step.of.field))}`
            : 'score' in step.of
              ? `they had ${asked.person.scores.get(step.of.score) ?? 0} points of ${step.of.score}`
              : 'of what they had spent';
        return { because: `They took “${lane}”, because ${had}.`, rules: [] };
      }
      if (step?.kind === 'split') return { because: `They took “${lane}” by chance.`, rules: [] };
      return { because: `They took “${lane}”: that came first.`, rules: [] };
    }
    case 'refused':
      return sayRefusal(plan, String(detail['reason']) as Refusal, asked);
    case 'skipped':
      return {
        because: saySkipped(String(detail['reason']), detail['channel'] === 'sms' ? 'sms' : 'email', asked),
        rules: []
      };
    case 'left': {
      const reason = String(detail['reason'] ?? '');
      const leaving = (plan.document.leaveWhen ?? []).filter((r) => r.reason === reason);
      const goal = detail['as'] === 'goal' && plan.document.goal ? [plan.document.goal] : [];
      return {
        because: goal.length
          ? 'They reached the goal, and who does leaves.'
          : leaving.length
            ? `The rule “${reason}” says who leaves.`
            : (LEFT[reason] ?? 'They came to the end.'),
        rules: [...leaving, ...goal].flatMap((r) => reasonRules(plan, r.when, asked))
      };
    }
    case 'entered': {
      const { where } = plan.document.entry ?? {};
      return {
        because: `They came in by ${String(detail['by']).replace(/_/g, ' ')}.`,
        rules: where ? [rule('who of them', where, true)] : []
      };
    }
    default:
      return { because: 'Nothing was asked here.', rules: [] };
  }
}

const LEFT: Record<string, string> = {
  ended: 'The journey was ended for them by somebody.',
  unsubscribed: 'They unsubscribed, and nothing that was still ahead was for them.',
  bounced: 'Their address does not exist, and nothing that was still ahead was for them.',
  idle: 'They had done nothing for as long as the journey waits.',
  'held-out': 'They were held out, and are watched no longer.',
  'no-consent': 'They could not be written to, and the step says that who cannot leaves.',
  'no-address': 'They had no address, and the step says that who has none leaves.',
  suppressed: 'Their address is suppressed, and the step says that who cannot be written to leaves.'
};

function saySkipped(reason: string, channel: 'email' | 'sms', { person }: Asked): string {
  const called = channel === 'sms' ? 'texts' : 'email';
  switch (reason) {
    case 'no-consent':
      return `Their consent for ${called} was: ${person.consent[channel] ?? 'never asked'}.`;
    case 'no-address':
      return channel === 'sms' ? 'They had no phone number.' : 'They had no email address.';
    case 'suppressed':
      return `Nobody may write to ${textOf(person.fields.get(channel === 'sms' ? 'phone' : 'email'))}: it is suppressed.`;
    case 'limit':
      return 'They had had as many messages as the limits of the settings allow.';
    case 'hours':
      return 'The hours for sending leave no time for it.';
    case 'off':
      return 'The step was turned off.';
    default:
      return reason.replace(/-/g, ' ');
  }
}

function sayRefusal(plan: JourneyPlan, reason: Refusal, asked: Asked): Said {
  const { where, again } = plan.document.entry ?? {};
  const none = { rules: [] };
  switch (reason) {
    case 'where':
      return {
        because: 'The journey takes only some of them, and they were not among these.',
        rules: where
          ? [{ label: 'who of them', decided: true, asked: explain(where, plan.key, asked, titleIn(plan)) }]
          : []
      };
    case 'once':
      return { ...none, because: 'They have been in it, and who has been does not come in again.' };
    case 'walking':
      return {
        ...none,
        because: `They were in it already${again === 'again' ? ', and come in again only once they are out' : ''}.`
      };
    case 'paused':
      return { ...none, because: 'The journey was paused.' };
    case 'opens':
      return { ...none, because: 'The journey had not opened yet.' };
    case 'goal':
      return {
        because: 'They had reached the goal already.',
        rules: plan.document.goal ? reasonRules(plan, plan.document.goal.when, asked) : []
      };
    case 'leave':
      return {
        because: 'A rule of the journey would have made them leave at once.',
        rules: (plan.document.leaveWhen ?? []).flatMap((r) => reasonRules(plan, r.when, asked, r.reason))
      };
  }
}

/** Goals and leave rules: conditions part by part; happenings only in words. */
function reasonRules(plan: JourneyPlan, reason: Reason, asked: Asked, label = ''): Why['rules'] {
  return eachRule(reason).map((one) => {
    const words = ruleWords(one, titleIn(plan));
    const explained: Explained = isHappening(one)
      ? { words, ...happened(one, plan.key, asked) }
      : explain(one, plan.key, asked, titleIn(plan));
    return { label: label || words, decided: explained.holds, asked: explained };
  });
}

/** How often somebody did something that a rule hears of. */
function happened(
  filter: Extract<HappeningOrCondition, { happening: string }>,
  own: string,
  asked: Asked
): Pick<Explained, 'holds' | 'had'> {
  const match = compileFilter(filter, own);
  const found = asked.person.record.filter((h) => h.name === filter.happening && match(h, asked.walk, asked.zone));
  return {
    holds: found.length > 0,
    had: {
      kind: 'times',
      value: found.length,
      last: found.reduce<number | null>((last, h) => Math.max(last ?? h.at, h.at), null)
    }
  };
}

/** Why a journey does not have somebody, or would take them, now; `null` where either is not there. */
export async function whyNotIn(db: Db, id: number, key: string): Promise<Why | null> {
  const plans = plansOf(db);
  const live = await plans.live(db);
  const { rows } = await db.query<{ id: number; state: string; walking: boolean }>(
    `select j.id, j.state, exists (select from walks w where w.journey_id = j.id and w.person_id = $2 and w.state = 'walking') as walking
     from journeys j where j.key = $1`,
    [key, id]
  );
  const [journey] = rows;
  if (!journey) return null;
  const at = await now(db);
  const plan = live.find((l) => l.journeyId === journey.id)?.plan;
  const plain = (because: string): Why => ({ because, at, rules: [], unknown: [] });
  if (journey.walking) return plain('They are in it.');
  if (!plan) return plain(journey.state === 'paused' ? 'The journey is paused.' : 'The journey is not live.');
  const { workspace } = await plans.settings.read(db);
  const { people } = await loadPeople(db, [id], at, plans, [plan], workspace);
  const then = await personThen(db, id, { record: Number.MAX_SAFE_INTEGER, at }, workspace, plans);
  const state = people[0]?.state;
  if (!state || !then) return null;
  const walk = newWalk(plan, state, at, 'hand', undefined, workspace.zone);
  const asked: Asked = { person: state, walk, at, zone: zoneOf(state, plan, workspace.zone), workspace };
  const refusal = refusalOf(plan, asked);
  const ways = (plan.document.entry?.on ?? []).flatMap((on) =>
    reasonRules(plan, on, { ...asked, person: then.person, walk: null })
  );
  const said: Said = refusal
    ? sayRefusal(plan, refusal, asked)
    : {
        because: ways.length
          ? 'They would be let in, but nothing that lets people in has happened to them since the journey is live.'
          : 'They would be let in; people come in by hand, by a date or from another journey.',
        rules: []
      };
  const rules = [...ways.map((w) => ({ ...w, label: 'lets people in' })), ...said.rules];
  return { because: said.because, at, rules, unknown: [] };
}

async function walkOf(db: Db, person: number, id: number, journey: string): Promise<Walk | null> {
  const { rows } = await db.query<{ version: number; begun_by: string; entered_at: number; more: Partial<Walk> }>(
    'select version, begun_by, entered_at, more from walks where person_id = $1 and id = $2',
    [person, id]
  );
  const [row] = rows;
  if (!row) return null;
  return restoreWalk(
    {
      id,
      journey,
      version: row.version,
      state: 'walking',
      at: 0,
      standing: null,
      by: row.begun_by,
      enteredAt: row.entered_at,
      endedAt: null,
      reason: null,
      goalReached: false,
      goalUntil: null
    },
    row.more
  );
}

const textOf = (value: unknown): string =>
  value === undefined || value === null ? 'not known' : [value].flat().map(String).join(', ');

/** Steps by what their cards say. */
const titleIn =
  (plan: JourneyPlan) =>
  (key: string): string => {
    const step = plan.byKey.get(key)?.step;
    return step ? kindOf(step).card(step).title : key;
  };

/** Of the facts that are not known, those that were asked about. */
function unknownOf({ unknown }: Then, rules: Why['rules']): string[] {
  if (!unknown.size) return [];
  const words = JSON.stringify(rules);
  return [...unknown].filter((name) => words.includes(name));
}
