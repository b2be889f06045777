/**
 * Where a journey's calls may go: to public addresses, and to those of a private network that a setting lists by address and
 * port. A name is looked up once a connection, and what it leads to is judged there and then: a resolver that answers
 * differently the next time is asked by nobody.
 */
import { lookup as systemLookup, type LookupAddress } from 'node:dns';
import { isIP, type LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';

/** Private addresses that may be called all the same: a network, and a port in it. */
export interface Allowed {
  network: [ipaddr.IPv4 | ipaddr.IPv6, number];
  port: number;
}

/** How names are looked up; the system's way, unless a test has its own. */
export type Lookup = (
  hostname: string,
  options: { all: true },
  answer: (error: NodeJS.ErrnoException | null, addresses: LookupAddress[]) => void
) => void;

/** A place that may not be called. */
export class Inward extends Error {
  constructor(host: string) {
    super(`it leads into a private network, which is not called: ${host}`);
  }
}

/** `10.1.2.3:8080` or `10.2.0.0/16:443`; of IPv6 `[fd00::5]:8080` or `[fd00::/64]:443`. */
const ENTRY = /^(?:\[([^\]]+)\]|([^:[\]]+)):(\d{1,5})$/;

/**
 * Reads the setting: entries parted by commas, each an address or network with its port.
 * @throws Error that names the entry and what was expected.
 */
export function readAllowed(text: string): Allowed[] {
  return text.split(',').flatMap((part) => {
    const entry = part.trim();
    if (!entry) return [];
    const [, six, four, port] = ENTRY.exec(entry) ?? [];
    const network = (six ?? four ?? '').split('/');
    const address = network[0] ?? '';
    if (!isIP(address) || !port || Number(port) < 1 || Number(port) > 65_535 || network.length > 2)
      throw new Error(
        `expected an address or network with its port, as "10.1.2.3:8080", "10.2.0.0/16:443" or "[fd00::5]:8080", not "${entry}"`
      );
    const whole = ipaddr.process(address);
    const bits = network[1] ?? String(whole.kind() === 'ipv4' ? 32 : 128);
    if (!/^\d{1,3}$/.test(bits) || Number(bits) > (whole.kind() === 'ipv4' ? 32 : 128))
      throw new Error(`"${entry}" has no network of ${bits} bits`);
    return [{ network: [whole, Number(bits)], port: Number(port) }];
  });
}

/**
 * Whether a connection to this address and port may be made. Of IPv6 only what is handed out for the open internet
 * (2000::/3) is open: all else, an IPv4 address written inside an IPv6 one among it, leads to some network of somebody's own.
 */
export function mayReach(address: string, port: number, allowed: readonly Allowed[]): boolean {
  if (!ipaddr.isValid(address)) return false;
  const read = ipaddr.process(address);
  const listed = allowed.some(
    ({ network, port: open }) => open === port && network[0].kind() === read.kind() && read.match(network as never)
  );
  if (listed) return true;
  if (read.range() !== 'unicast') return false;
  return read.kind() === 'ipv4' || read.match(ipaddr.parseCIDR('2000::/3') as never);
}

/** The port that an address is called at. */
const portOf = ({ port, protocol }: URL): number => Number(port) || (protocol === 'https:' ? 443 : 80);

/**
 * How a connection to this place finds its address, for `http.request`.
 * @throws Inward where the place is itself an address that may not be called; an error of the lookup where a name leads to one.
 */
export function guardedLookup(target: URL, allowed: readonly Allowed[], lookup: Lookup = systemLookup): LookupFunction {
  const port = portOf(target);
  const host = target.hostname.replace(/^\[|\]$/g, '');
  // Of a place that is an address nothing is looked up.
  if (isIP(host) && !mayReach(host, port, allowed)) throw new Inward(target.hostname);
  return (hostname, options, answer) =>
    lookup(hostname, { all: true }, (error, addresses) => {
      // One address inwards among several is one too many: which of them is tried is not ours to say.
      const refused =
        error ?? (addresses.every((a) => mayReach(a.address, port, allowed)) ? null : new Inward(hostname));
      if (refused) return answer(refused, []);
      const first = addresses[0];
      if (!first) return answer(Object.assign(new Error(`no address of ${hostname}`), { code: 'ENOTFOUND' }), []);
      if (options.all) answer(null, addresses);
      else answer(null, first.address, first.family);
    });
}
