/** Three messages within a day of each other, where no limit of the workspace holds any back. */
import { anchorOf } from '../sheet/anchor.ts';
import { layoutSheet, type Card } from '../sheet/layout.ts';
import { isMessage, isOff } from '../steps/index.ts';
import { DAY } from '../time/duration.ts';
import { remark, type Check, type Finding } from './finding.ts';

const MANY = 3;

export const manyInADay: Check = (journey, _steps, { settings }) => {
  if (settings === undefined || settings?.limits?.length) return [];
  const { cards, rows } = layoutSheet(journey.lane, undefined, anchorOf(journey));
  const messages = cards.filter(({ step }) => isMessage(step) && !isOff(step));
  /** Whether one person can meet both: the lane of one is that of the other, or holds it. */
  const onOneWay = (a: Card, b: Card): boolean => {
    const [p, q] = [rows[a.row]?.path ?? [], rows[b.row]?.path ?? []];
    const shorter = p.length < q.length ? p : q;
    return shorter.every((part, i) => p[i] === part && q[i] === part);
  };
  const found = messages.flatMap((last, at): Finding[] => {
    const all = messages
      .slice(0, at + 1)
      .filter((m) => onOneWay(m, last) && m.elapsed.max <= last.elapsed.max && last.elapsed.max - m.elapsed.max < DAY);
    // Of lanes of which one is taken, one counts.
    const near = all.reduceRight<Card[]>((kept, m) => (kept.every((k) => onOneWay(k, m)) ? [m, ...kept] : kept), []);
    return near.length >= MANY
      ? [
          remark(
            last.step.key,
            'many-in-a-day',
            `Somebody gets ${near.length} messages within a day here, and no limit across journeys holds any back.`,
            'Wait between them, or set a limit in the settings.'
          )
        ]
      : [];
  });
  return found.slice(0, 1);
};
