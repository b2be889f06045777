/** A personal field without a fallback: whoever has no value of it reads a hole. */
import { own } from '../own.ts';
import { templateProblem } from '../message/personal.ts';
import { isMessage } from '../steps/index.ts';
import { plural } from '../tell/words.ts';
import { remark, type Check, type Finding } from './finding.ts';
import { wordsOf } from './message-words.ts';

const PRINTED = /\{\{-?\s*person\.([A-Za-z_][\w]*)\s*([^}]*)\}\}/g;
/** Everybody who gets a message has what it is sent to. */
const ALWAYS = new Set(['email', 'phone']);

export const noFallback: Check = (_journey, steps, { without }) =>
  steps.flatMap(({ step }): Finding[] => {
    if (!isMessage(step)) return [];
    const words = wordsOf(step);
    // What cannot be read at all is told by a check of its own.
    if (templateProblem(words) !== null) return [];
    const bare = [...words.matchAll(PRINTED)].filter(([, , filters = '']) => !/\|\s*default\b/.test(filters));
    // What is asked for before it is printed is no hole.
    const fields = [...new Set(bare.map((m) => m[1] ?? ''))].filter(
      (f) => !ALWAYS.has(f) && !new RegExp(`\\{%-?\\s*(?:if|unless)[^%]*person\\.${f}\\b`).test(words)
    );
    return fields.flatMap((field) => {
      const lacking = without ? own(without, field) : undefined;
      if (lacking === 0) return [];
      return [
        remark(
          step.key,
          'no-fallback',
          lacking === undefined
            ? `Whoever has no ${field} reads a hole here.`
            : `${plural(lacking, 'person has', 'people have')} no ${field}, and would read a hole here.`,
          `Give it a fallback: {{ person.${field} | default: "…" }}.`
        )
      ];
    });
  });
