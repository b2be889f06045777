/** A journey as Markdown: what it is for, its steps in sentences by moment, and the words of its messages. */
import type { Journey } from '../journey/schema.ts';
import { eachStep } from '../journey/walk-document.ts';
import { isMessage, kindOf } from '../steps/index.ts';
import { readThrough } from './read-through.ts';

/** Nothing that people wrote becomes a heading, a list, a link or a tag of the document. */
const plain = (text: string): string =>
  text
    .replace(/[\\`*_{}[\]<>|]/g, '\\$&')
    .replace(/^(\s*)(#{1,6}\s|[-+]\s|\d+[.)]\s|>)/gm, '$1\\$2')
    .replace(/\r\n?/g, '\n');

const quoted = (text: string): string =>
  plain(text)
    .split('\n')
    .map((l) => `> ${l}`.trimEnd())
    .join('\n');

export function journeyMarkdown(journey: Journey): string {
  const lines = [`# ${plain(journey.name ?? journey.key)}`, ''];
  if (journey.purpose) lines.push(plain(journey.purpose), '');
  lines.push('## What happens', '');
  for (const { moment, depth, text } of readThrough(journey)) {
    if (moment) lines.push('', `**${plain(moment)}**`, '');
    lines.push(`${'  '.repeat(depth)}- ${plain(text)}`);
  }
  const steps = eachStep(journey).map(({ step }) => step);
  const messages = steps.filter((s) => isMessage(s) && s.message === undefined);
  if (messages.length) lines.push('', '## What is written', '');
  for (const step of messages) {
    if (!isMessage(step)) continue;
    lines.push(`### ${plain(kindOf(step).card(step).title)}`, '');
    if (step.aim) lines.push(`It asks them to: ${plain(step.aim)}`, '');
    if (step.kind === 'email' && step.subject) lines.push(`Subject: ${plain(step.subject)}`, '');
    if (step.text) lines.push(quoted(step.text), '');
  }
  const notes = [
    ...(journey.notes ?? []).map(({ at, text }) => ({ at, text })),
    ...steps.flatMap((s) => (s.note ? [{ at: s.key, text: s.note }] : []))
  ];
  if (notes.length) lines.push('## Notes', '');
  const byKey = new Map(steps.map((s) => [s.key, kindOf(s).card(s).title]));
  for (const { at, text } of notes) lines.push(`- **${plain(byKey.get(at) ?? at)}**: ${plain(text)}`);
  return `${lines
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim()}\n`;
}
