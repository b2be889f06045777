/** In a thread of its own: a mail that came in is parsed and told what it is. Whoever sends it chooses how long that takes. */
import { simpleParser } from 'mailparser';
import { serve } from '../threads/thread.ts';
import { classify, type Classified, type Envelope } from './classify.ts';
import { authentications } from './proof.ts';

export interface MailAsked {
  raw: Uint8Array;
  envelope: Envelope;
}

export interface MailRead extends Classified {
  /** The address in its From; `null` where there is none. */
  from: string | null;
  subject: string;
  text: string;
  /** What servers say of who sent it, by their names, topmost first. */
  authentications: string[];
}

/** Of a mail that is kept aside, so much of its words, characters. */
const MOST_TEXT = 20_000;

serve(async ({ raw, envelope }: MailAsked): Promise<MailRead> => {
  const source = Buffer.from(raw);
  const mail = await simpleParser(source, { skipImageLinks: true, maxHtmlLengthToParse: 1_000_000 });
  return {
    ...classify(mail, envelope, source.subarray(0, 300_000).toString('latin1')),
    from: mail.from?.value[0]?.address ?? null,
    subject: mail.subject ?? '',
    text: (mail.text ?? '').slice(0, MOST_TEXT),
    authentications: authentications(mail)
  };
});
