/** What servers really answer, and what it means for the person and for us. */
import { describe, expect, it } from 'vitest';
import { enhancedCode, meaningOf } from './answer.ts';

const RCPT = 'RCPT TO';
it.each([
  // About the mailbox.
  [550, '5.1.1 <x@people.example>: Recipient address rejected: User unknown in virtual mailbox table', RCPT, 'mailbox'],
  [550, '5.1.1 The account does not exist', 'DATA', 'mailbox'],
  [550, '5.1.2 Bad destination system address', RCPT, 'mailbox'],
  [501, '5.1.3 Bad recipient address syntax', RCPT, 'mailbox'],
  [551, '5.1.6 Mailbox has moved', RCPT, 'mailbox'],
  [556, '5.1.10 Recipient address has null MX', RCPT, 'mailbox'],
  [550, '5.2.1 This account is disabled', RCPT, 'mailbox'],
  [550, 'No such user here', RCPT, 'mailbox'],
  [551, 'User not local', RCPT, 'mailbox'],
  [553, 'Mailbox name invalid', RCPT, 'mailbox'],
  // Full.
  [552, '5.2.2 Mailbox full', RCPT, 'full'],
  [452, '4.2.2 The mailbox is over quota', RCPT, 'full'],
  [552, 'Requested mail action aborted: exceeded storage allocation', RCPT, 'full'],
  // A matter of ours.
  [554, '5.7.1 <x@people.example>: Relay access denied', RCPT, 'ours'],
  [550, 'Relaying denied', RCPT, 'ours'],
  [550, '5.7.1 Service unavailable; client host [192.0.2.1] blocked using a block list', RCPT, 'ours'],
  [550, 'Mail from 192.0.2.1 rejected, see our policy', RCPT, 'ours'],
  [550, 'Sender verify failed', RCPT, 'ours'],
  [550, '5.7.26 This mail is unauthenticated', 'DATA', 'ours'],
  [550, 'Message looks like spam', 'DATA', 'ours'],
  [550, 'No', 'DATA', 'ours'],
  [554, 'Transaction failed', 'DATA', 'ours'],
  [554, 'No SMTP service here', 'CONN', 'ours'],
  [552, '5.3.4 Message size exceeds fixed limit', 'MAIL FROM', 'ours'],
  [552, 'Message too large', 'DATA', 'ours'],
  [553, '5.1.8 Sender address rejected: domain not found', 'MAIL FROM', 'ours'],
  [550, 'No such user here', 'MAIL FROM', 'ours'],
  [530, '5.7.0 Must issue a STARTTLS command first', 'MAIL FROM', 'ours'],
  [535, '5.7.8 Authentication credentials invalid', 'AUTH PLAIN', 'ours'],
  [454, '4.7.0 Temporary authentication failure', 'AUTH PLAIN', 'ours'],
  [503, 'Bad sequence of commands', RCPT, 'ours'],
  // For a while.
  [451, '4.7.1 Greylisted, come back later', RCPT, 'temporary'],
  [421, 'Too many connections', 'CONN', 'temporary'],
  [450, 'Mailbox busy', RCPT, 'temporary'],
  // No answer at all.
  [undefined, 'connect ECONNREFUSED 127.0.0.1:25', 'CONN', 'away']
] as const)('%s %s to %s is %s', (code, text, command, expected) => {
  expect(meaningOf({ code, text: code ? `${code} ${text}` : text, command })).toBe(expected);
});

describe('the enhanced code', () => {
  it.each([
    ['550 5.1.1 gone', '5.1.1'],
    ['550-5.7.26 This mail', '5.7.26'],
    ['550 gone', null],
    ['550 host 10.5.1.1 is blocked', null]
  ])('of %s is %s', (text, code) => expect(enhancedCode(text)).toBe(code));
});
