import { describe, expect, it } from 'vitest';
import { guardedLookup, mayReach, readAllowed } from './reach.ts';

describe('what may be called', () => {
  it.each([
    ['93.184.216.34', true],
    ['2001:4860:4860::8888', true],
    ['127.0.0.1', false],
    ['10.1.2.3', false],
    ['100.64.0.1', false],
    ['169.254.169.254', false],
    ['192.168.1.1', false],
    ['0.0.0.0', false],
    ['224.0.0.1', false],
    ['255.255.255.255', false],
    ['::', false],
    ['::1', false],
    ['::7f00:1', false],
    ['::127.0.0.1', false],
    ['::ffff:10.0.0.1', false],
    ['64:ff9b::7f00:1', false],
    ['64:ff9b:1::7f00:1', false],
    ['2002:7f00:1::', false],
    ['2001:0:7f00:1::', false],
    ['2001:db8::1', false],
    ['fc00::1', false],
    ['fe80::1', false],
    ['fec0::1', false],
    ['ff02::1', false],
    ['4000::1', false],
    ['not an address', false]
  ])('%s: %s', (address, open) => {
    expect(mayReach(address, 443, [])).toBe(open);
  });
  it('private addresses that are listed, at their port alone', () => {
    const allowed = readAllowed('10.1.2.3:8080, 10.2.0.0/16:443,[fd00::5]:8080, [fd01::/64]:1,');
    for (const [address, port, open] of [
      ['10.1.2.3', 8080, true],
      ['::ffff:10.1.2.3', 8080, true],
      ['10.1.2.3', 443, false],
      ['10.1.2.4', 8080, false],
      ['10.2.200.1', 443, true],
      ['10.3.0.1', 443, false],
      ['fd00::5', 8080, true],
      ['fd01::9', 1, true],
      ['fd01:0:0:1::9', 1, false]
    ] as const)
      expect([address, port, mayReach(address, port, allowed)]).toEqual([address, port, open]);
  });
  it.each([
    '10.1.2.3',
    'host:80',
    '10.1.2.3:0',
    '10.1.2.3:99999',
    '10.1.2.0/33:80',
    '10.1.2.0/x:80',
    '10.0.0.0/8/8:1',
    'fd00::5:80'
  ])('in the settings, %s is refused and named', (entry) => {
    expect(() => readAllowed(`10.9.9.9:1, ${entry}`)).toThrow(entry);
  });
  it('a place that is an address inwards is refused before anything is looked up', () => {
    const never = (): void => {
      throw new Error('looked up');
    };
    expect(() => guardedLookup(new URL('http://[::127.0.0.1]/x'), [], never)).toThrow('private network');
  });
});
