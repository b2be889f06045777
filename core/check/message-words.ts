/** All words of a message, for checks that look for something in them. */
import type { Step } from '../steps/index.ts';

/** Subject, preview and text; blocks as their texts stand in the document. */
export function wordsOf(step: Step): string {
  if (step.kind === 'sms') return step.text ?? '';
  if (step.kind !== 'email') return '';
  const blocks = step.blocks ? JSON.stringify(step.blocks) : '';
  return [step.subject, step.preview, step.text, blocks].filter(Boolean).join('\n');
}
