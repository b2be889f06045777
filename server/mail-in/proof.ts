/**
 * Who a mail is really from. A From line is what anybody writes there; it is believed only where a receiving server that the
 * settings trust says that DMARC passed, and SPF or DKIM with it (RFC 8601, 7489). Its word counts only in mail that it hands
 * us itself, and only the topmost of its name: whatever stands below may have been in the mail when it came.
 */
import { BlockList, isIPv6 } from 'node:net';
import type { ParsedMail } from 'mailparser';

/** A server whose word is believed: what it calls itself, and from where it hands mail to us. */
export interface TrustedServer {
  name: string;
  from: BlockList;
}

/** Reads `name@address` or `name@network/bits`, parted by commas. @throws an error that names what cannot be read. */
export function readTrusted(text: string): TrustedServer[] {
  return text.split(',').flatMap((one): TrustedServer[] => {
    const [, name, address, bits] = /^\s*([^\s@]+)@([0-9a-f.:]+)(?:\/(\d{1,3}))?\s*$/i.exec(one) ?? [];
    if (one.trim() === '') return [];
    if (name === undefined || address === undefined)
      throw new Error(`“${one.trim()}”: expected a server's name and address, as mx.example.org@192.0.2.1`);
    const from = new BlockList();
    const family = isIPv6(address) ? 'ipv6' : 'ipv4';
    if (bits === undefined) from.addAddress(address, family);
    else from.addSubnet(address, Number(bits), family);
    return [{ name: name.toLowerCase(), from }];
  });
}

/** The `Authentication-Results` of a mail, each without its name and comments, topmost first. */
export const authentications = (mail: ParsedMail): string[] =>
  mail.headerLines
    .filter((h) => h.key === 'authentication-results')
    .slice(0, 20)
    .map((h) =>
      h.line
        .slice(h.line.indexOf(':') + 1, 4000)
        .replace(/\([^()]*\)/g, ' ')
        .replace(/\s+/g, ' ')
        .trim()
        .toLowerCase()
    );

/** Whether a trusted server says that a mail is really from the domain of this address. `client`: who handed it to us. */
export function isProven(
  { authentications: all, from }: { authentications: readonly string[]; from: string | null },
  client: string,
  trusted: readonly TrustedServer[]
): boolean {
  const domain = from?.slice(from.lastIndexOf('@') + 1).toLowerCase();
  const address = client.replace(/^::ffff:/i, '');
  return trusted.some(({ name, from: network }) => {
    if (!domain || !network.check(address, isIPv6(address) ? 'ipv6' : 'ipv4')) return false;
    const said = all.find((a) => /^\S+?(?=[\s;])/.exec(a)?.[0] === name);
    if (said === undefined) return false;
    const results = said
      .split(';')
      .slice(1)
      .map((r) => r.trim());
    const passed = (method: string): string | undefined =>
      results.find((r) => new RegExp(`^${method} ?= ?pass\\b`).test(r));
    const dmarc = passed('dmarc');
    const of = /header\.from ?= ?([^\s;]+)/.exec(dmarc ?? '')?.[1];
    return (
      dmarc !== undefined && (of === undefined || of === domain) && (passed('spf') ?? passed('dkim')) !== undefined
    );
  });
}
