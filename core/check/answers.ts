/** Answers that are asked for and not listened to, and answers of which one takes all that another is for. */
import { answerForm } from '../message/answer.ts';
import { isHappening } from '../condition/schema.ts';
import { rulesOf } from '../journey/facts.ts';
import { isMessage, lanesOf } from '../steps/index.ts';
import { remark, type Check, type Finding } from './finding.ts';
import { wordsOf } from './message-words.ts';

/** Asks for an answer; STOP and its like are heard by themselves. */
const ASKS = /\b(?:answer|reply|text back|write back)\b(?!\s+(?:with\s+)?["“]?(?:STOP|HELP|START)\b)/i;

export const replyUnheard: Check = (journey, steps) => {
  const heard = rulesOf(journey).flatMap((r) =>
    isHappening(r) ? (r.happening === 'replied' ? [r.of ?? '*'] : []) : []
  );
  const asked = JSON.stringify(journey).includes('"did":"replied"');
  return steps.flatMap(({ step }): Finding[] => {
    if (!isMessage(step) || heard.includes('*') || heard.includes(step.key) || asked || !ASKS.test(wordsOf(step)))
      return [];
    return [
      remark(
        step.key,
        'reply-unheard',
        'This message asks for an answer, and nothing in the journey listens to one: it waits in Replies until somebody reads it.',
        'Listen for it, or ask for something else.'
      )
    ];
  });
};

export const overlappingAnswers: Check = (_journey, steps) =>
  steps.flatMap(({ step }): Finding[] => {
    const lanes = lanesOf(step).flatMap(({ label, when }) =>
      when && isHappening(when) && when.happening === 'replied'
        ? [{ label, of: when.of, answers: when.matches?.map(answerForm) }]
        : []
    );
    return lanes.flatMap(({ label, answers, of }, i) =>
      lanes.slice(0, i).flatMap((earlier) => {
        if (earlier.of !== undefined && of !== undefined && earlier.of !== of) return [];
        const taken = answers?.find(
          (a) => !earlier.answers || earlier.answers.some((e) => a === e || a.startsWith(`${e} `))
        );
        if (taken === undefined && !(earlier.answers === undefined && answers === undefined)) return [];
        return [
          remark(
            step.key,
            'overlapping-answers',
            taken === undefined
              ? `Nobody takes the lane “${label}”: any answer takes “${earlier.label}”.`
              : `Whoever answers “${taken}” takes the lane “${earlier.label}”, not “${label}”: its answer begins so.`,
            'Let the lane with the longer answer come first.'
          )
        ];
      })
    );
  });
