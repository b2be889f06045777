/** The read-through: a journey told in plain sentences, each belonging to a step. */
import type { Journey } from '../journey/schema.ts';
import { isOff, kindOf, lanesOf, type Step } from '../steps/index.ts';
import { eachStep } from '../journey/walk-document.ts';
import { anchorOf } from '../sheet/anchor.ts';
import { layoutSheet } from '../sheet/layout.ts';
import { clockWays, conditionWords, oftenWords, ruleWords, type Naming } from './condition.ts';
import { hoursWords } from './settings.ts';
import { durationWords, or } from './words.ts';

export interface Sentence {
  /** "Day 2"; empty where it is the same as above. */
  moment: string;
  depth: number;
  text: string;
  /** Key of the step it tells of; `null` for the journey's own rules. */
  step: string | null;
}

/** Finds the title of a step by its key, as the sheet shows it. */
export function namingOf(document: Pick<Journey, 'lane'>): Naming {
  const titles = new Map(eachStep(document).map(({ step }) => [step.key, kindOf(step).card(step).title]));
  return (key) => titles.get(key) ?? `“${key}”`;
}

/** "Whoever gets the tag first-visit enters, once". */
function entrySentence(entry: Journey['entry'], name: (key: string) => string): string {
  const on = entry?.on ?? [];
  const clock = clockWays(entry);
  if (!on.length && !clock.length)
    return entry?.again ? `People are put in by hand, ${oftenWords(entry)}` : 'People are put in by hand, once each';
  const often = oftenWords(entry);
  const tags = on.every((rule) => rule.happening === 'tag_added');
  const happens = on.length
    ? tags
      ? `Whoever gets the tag ${or(on.map((rule) => rule.tag || '…'))} enters`
      : `Those who ${or(on.map((rule) => ruleWords(rule, name)))} enter`
    : '';
  if (!clock.length) return `${happens}, ${often}`;
  return `${happens ? `${happens}, and everybody enters` : 'They enter'} ${or(clock)}, ${often}`;
}

export function readThrough(document: Journey): Sentence[] {
  const name = namingOf(document);
  const { cards } = layoutSheet(document.lane, undefined, anchorOf(document));
  const moments = new Map(cards.map((c) => [c.step.key, c.moment]));
  const sentences: Sentence[] = [];
  const { entry } = document;
  const where = entry?.where ? `, if they ${conditionWords(entry.where, name)}` : '';
  const existing = entry?.existing ? ' Those who have it already enter when it goes live.' : '';
  const heldOut = entry?.holdOut ? ` ${entry.holdOut} % of them are held out: watched, and sent nothing.` : '';
  sentences.push({
    moment: 'Entry',
    depth: 0,
    step: null,
    text: `${entrySentence(entry, name)}${where}.${existing}${heldOut}`
  });
  let shown = 'Entry';
  const tell = (steps: Step[], depth: number): void => {
    for (const step of steps) {
      const moment = moments.get(step.key) ?? '';
      sentences.push({
        moment: moment && moment !== shown ? moment : '',
        depth,
        step: step.key,
        text: isOff(step) ? `(Off, passed over: ${kindOf(step).tell(step, name)})` : kindOf(step).tell(step, name)
      });
      if (moment) shown = moment;
      for (const lane of lanesOf(step)) {
        const who = lane.when
          ? `Those who ${ruleWords(lane.when, name)}`
          : lane.who
            ? `“${lane.label}” (${lane.who})`
            : `Everyone else (${lane.label})`;
        sentences.push({
          moment: '',
          depth: depth + 1,
          step: step.key,
          text: lane.steps.length ? `${who}:` : `${who}: nothing more, they go on.`
        });
        tell(lane.steps, depth + 2);
      }
    }
  };
  tell(document.lane, 0);
  sentences.push({ moment: '', depth: 0, step: null, text: 'Everyone still here has finished.' });
  if (document.goal) {
    const within = document.goal.within ? ` within ${durationWords(document.goal.within)}` : '';
    const leave = (document.goal.leave ?? true) ? 'They leave then.' : 'They stay on.';
    sentences.push({
      moment: 'Goal',
      depth: 0,
      step: null,
      text: `The goal is that they ${ruleWords(document.goal.when, name)}${within}. ${leave}`
    });
  }
  document.leaveWhen?.forEach((rule, i) => {
    sentences.push({
      moment: i ? '' : 'Leaving',
      depth: 0,
      step: null,
      text: `Those who ${ruleWords(rule.when, name)} leave (${rule.reason}).`
    });
  });
  if (document.idle)
    sentences.push({
      moment: 'Idle',
      depth: 0,
      step: null,
      text: `Whoever has stood on one listen or task for ${durationWords(document.idle)} leaves.`
    });
  const zone = document.hours?.zone;
  if (document.hours)
    sentences.push({
      moment: 'Hours',
      depth: 0,
      step: null,
      text: `Its messages go out ${hoursWords(document.hours)}${zone ? `, by ${zone === 'person' ? 'their own time' : `the time of ${zone}`}` : ''}.`
    });
  return sentences;
}
