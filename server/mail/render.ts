/** One message as it goes over the wire: its content, with tracked links, a pixel and a way out that are about this copy alone. */
import { emailHtml } from '../../core/message/html.ts';
import { distinctLinks, joinParts } from '../../core/message/links.ts';
import { entryScope, type MessageScope } from '../../core/message/personal.ts';
import type { Channel } from '../../core/person/values.ts';
import type { Happening } from '../../core/person/happening.ts';
import type { EmailStep } from '../../core/steps/email.ts';
import { channelNumber, signToken } from '../intake/token.ts';
import type { Content } from './content.ts';

/** Whom a copy is for. */
export interface Recipient {
  person: number;
  message: number;
  channel: Channel;
}

export interface RenderContext {
  /** Base address of this application, as people reach it. */
  base: string;
  secret: Buffer;
  sender: string;
}

export interface RenderedEmail {
  subject: string;
  text: string;
  html: string;
  /** `null`: the step says that no way out is to be offered. */
  unsubscribe: string | null;
}

const url = (base: string, path: string): string => new URL(path, base).toString();

/** It names the person and the channel: it is good for as long as they are here, whatever becomes of the message. */
const unsubscribeAddress = ({ person, message, channel }: Recipient, { base, secret }: RenderContext): string =>
  url(base, `/u/${signToken(secret, 'unsubscribe', { person, message, number: channelNumber(channel) })}`);

/** What a message is filled in with. */
export const scopeOf = (
  recipient: Recipient,
  fields: Record<string, unknown>,
  journeyName: string,
  context: RenderContext,
  entry: Happening | null = null
): MessageScope => ({
  person: fields,
  entry: entryScope(entry),
  journey: { name: journeyName },
  links: { unsubscribe: unsubscribeAddress(recipient, context) }
});

/** Tracked address of a link, by its number among the distinct links of the content. */
function tracker(content: Content, { person, message }: Recipient, context: RenderContext): (link: string) => string {
  const numbers = new Map(distinctLinks(content.parts).map((link, i) => [link, i + 1]));
  return (link) =>
    url(context.base, `/l/${signToken(context.secret, 'link', { person, message, number: numbers.get(link) ?? 0 })}`);
}

/** An email of this content; `step` says what is tracked and whether a way out is offered. */
export function renderEmail(
  content: Content,
  step: Pick<EmailStep, 'track' | 'unsubscribe'>,
  recipient: Recipient,
  context: RenderContext
): RenderedEmail {
  const { person, message } = recipient;
  const unsubscribe = step.unsubscribe === false ? null : unsubscribeAddress(recipient, context);
  const href = step.track?.clicks === false ? (link: string) => link : tracker(content, recipient, context);
  const pixel = `/o/${signToken(context.secret, 'open', { person, message, number: 0 })}`;
  const subject = content.subject ?? '';
  return {
    subject,
    unsubscribe,
    text: `${joinParts(content.parts, href)}\n\n-- \n${context.sender}\n${unsubscribe ? `Unsubscribe: ${unsubscribe}\n` : ''}`,
    html: emailHtml({
      subject,
      preview: content.preview ?? '',
      text: content.parts,
      href,
      sender: context.sender,
      ...(step.track?.clicks === false || !content.parts.some((p) => 'link' in p)
        ? {}
        : { trap: url(context.base, `/l/${signToken(context.secret, 'link', { person, message, number: 0 })}`) }),
      ...(step.track?.opens === false ? {} : { pixel: url(context.base, pixel) }),
      ...(unsubscribe ? { unsubscribe } : {})
    })
  };
}

/** The words of a text. */
export const renderSms = (content: Content, recipient: Recipient, context: RenderContext): string =>
  joinParts(content.parts, tracker(content, recipient, context));
