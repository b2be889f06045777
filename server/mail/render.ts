/** One message, filled in for one person: what the outbox sends and what a page shows. */
import { emailHtml } from '../../core/message/html.ts';
import { distinctLinks, replaceLinks } from '../../core/message/links.ts';
import { fillIn, type MessageScope } from '../../core/message/personal.ts';
import type { EmailStep } from '../../core/steps/email.ts';
import type { SmsStep } from '../../core/steps/sms.ts';
import { signToken } from '../intake/token.ts';

export interface Recipient {
  person: number;
  message: number;
  fields: Record<string, unknown>;
}

export interface RenderContext {
  /** Base address of this application, as people reach it. */
  base: string;
  secret: Buffer;
  journeyName: string;
  sender: string;
}

export interface RenderedEmail {
  subject: string;
  text: string;
  html: string;
  unsubscribe: string;
  /** Original addresses of its links, in order: number 1 is the first. */
  links: string[];
}

const url = (base: string, path: string): string => new URL(path, base).toString();

function scopeOf(recipient: Recipient, context: RenderContext): MessageScope {
  const token = signToken(context.secret, 'unsubscribe', {
    person: recipient.person,
    message: recipient.message,
    number: 0
  });
  return {
    person: recipient.fields,
    journey: { name: context.journeyName },
    links: { unsubscribe: url(context.base, `/u/${token}`) }
  };
}

/** Tracked address of a link, or the link itself where it is our own unsubscribe address. */
function tracker(links: string[], recipient: Recipient, context: RenderContext, own: string): (link: string) => string {
  return (link) => {
    if (link === own) return link;
    const number = links.indexOf(link) + 1;
    return url(context.base, `/l/${signToken(context.secret, 'link', { ...recipient, number })}`);
  };
}

/** Throws where the step's Liquid cannot be filled in. */
export function renderEmail(step: EmailStep, recipient: Recipient, context: RenderContext): RenderedEmail {
  const scope = scopeOf(recipient, context);
  const { unsubscribe } = scope.links;
  const line = (text: string): string => fillIn(text, scope).replace(/\s+/g, ' ').trim();
  const subject = line(step.subject ?? '');
  const preview = line(step.preview ?? '');
  const text = fillIn(step.text ?? '', scope);
  const links = distinctLinks(text);
  const href = tracker(links, recipient, context, unsubscribe);
  const pixel = url(context.base, `/o/${signToken(context.secret, 'open', { ...recipient, number: 0 })}`);
  return {
    subject,
    links,
    unsubscribe,
    text: `${replaceLinks(text, href).trim()}\n\n-- \n${context.sender}\nUnsubscribe: ${unsubscribe}\n`,
    html: emailHtml({ subject, preview, text, href, pixel, unsubscribe, sender: context.sender })
  };
}

/** Throws where the step's Liquid cannot be filled in. */
export function renderSms(
  step: SmsStep,
  recipient: Recipient,
  context: RenderContext
): { text: string; links: string[] } {
  const scope = scopeOf(recipient, context);
  const text = fillIn(step.text ?? '', scope).trim();
  const links = distinctLinks(text);
  return { text: replaceLinks(text, tracker(links, recipient, context, scope.links.unsubscribe)), links };
}
