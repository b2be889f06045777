/** A split by chance of which the smallest share will not reach enough people to say anything in a month. */
import { number } from '../tell/words.ts';
import { remark, type Check, type Finding } from './finding.ts';

const ENOUGH = 100;

export const smallShare: Check = (_journey, steps, { enterMonthly }) =>
  enterMonthly === undefined
    ? []
    : steps.flatMap(({ step }): Finding[] => {
        if (step.kind !== 'split') return [];
        const total = step.lanes.reduce((n, l) => n + l.weight, 0);
        const least = step.lanes.reduce((a, b) => (b.weight < a.weight ? b : a));
        const people = Math.round((enterMonthly * least.weight) / total);
        return people < ENOUGH
          ? [
              remark(
                step.key,
                'small-share',
                `About ${number(people)} people a month take “${least.label}”: too few to tell it from chance.`,
                `Give each lane a share that comes to ${ENOUGH} people at least, or compare fewer.`
              )
            ]
          : [];
      });
