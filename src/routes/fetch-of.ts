import type { Fetch } from '$server/intake/machine.ts';

/** What a request tells of who fetches. */
export const fetchOf = ({ method, headers }: Request): Fetch => ({
  method,
  userAgent: headers.get('user-agent'),
  purpose: headers.get('sec-purpose') ?? headers.get('purpose') ?? headers.get('x-moz')
});
