/** Filling in whatever has templates in it, where it is read: a message, a text, what a call posts. */
import { calledData, type CalledFor } from '../../core/message/called.ts';
import { fillIn, type MessageScope } from '../../core/message/personal.ts';
import type { CallStep } from '../../core/steps/call.ts';
import type { EmailStep } from '../../core/steps/email.ts';
import type { SmsStep } from '../../core/steps/sms.ts';
import { fillMessage, type Content } from './content.ts';

export type Fill =
  | { what: 'message'; step: EmailStep | SmsStep; scope: MessageScope }
  | { what: 'text'; template: string; scope: MessageScope }
  | { what: 'call'; step: CallStep; at: CalledFor; scope: MessageScope };

/** What it came to, or why it cannot be filled in, in words. */
export type Filled =
  | { what: 'message'; content: Content }
  | { what: 'text'; text: string }
  | { what: 'call'; data: Record<string, unknown> }
  | { what: 'error'; error: string };

export function fillHere(fill: Fill): Filled {
  try {
    switch (fill.what) {
      case 'message':
        return { what: 'message', content: fillMessage(fill.step, fill.scope) };
      case 'text':
        return { what: 'text', text: fillIn(fill.template, fill.scope) };
      case 'call':
        return { what: 'call', data: calledData(fill.step, fill.at, fill.scope) };
    }
  } catch (error) {
    return { what: 'error', error: (error as Error).message };
  }
}
