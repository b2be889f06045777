/** What holds across all journeys, in words. */
import type { Settings } from '../settings/schema.ts';
import { WEEKDAYS, type Hours } from '../time/hours.ts';
import { durationWords, plural } from './words.ts';

const CHANNEL = { email: ['email', 'emails'], sms: ['text', 'texts'] } as const;

/** "Mon, Tue from 09:00 to 18:00". */
export const hoursWords = ({ days, from, to, except }: Hours): string =>
  [
    days && days.length < WEEKDAYS.length
      ? `${days.map((d) => d.charAt(0).toUpperCase() + d.slice(1)).join(', ')} `
      : '',
    `from ${from} to ${to}`,
    except?.length ? `, not on ${plural(except.length, 'day', 'days')} named` : ''
  ].join('');

/** The limits and hours that every message keeps: "At most 2 texts a person in 7 days." */
export function acrossWords(settings: Settings | null): string[] {
  const limits = (settings?.limits ?? []).map(({ channel, atMost, per }) => {
    const [one, many] = channel === undefined ? (['message', 'messages'] as const) : CHANNEL[channel];
    return `At most ${plural(atMost, one, many)} a person in ${durationWords(per)}.`;
  });
  const hours = (['email', 'sms'] as const).flatMap((channel) => {
    const own = settings?.hours?.[channel];
    return own ? [`${channel === 'email' ? 'Emails' : 'Texts'} go out ${hoursWords(own)}.`] : [];
  });
  return [...limits, ...hours];
}
