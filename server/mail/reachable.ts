/** Where somebody can be written to, as SQL. */

/** SQL: the address that a person `p` has now for a channel. */
export const addressNow = (p: string, channel: string): string =>
  `case ${channel} when 'email' then ${p}.email else ${p}.phone end`;

/** SQL: whether nobody may write to an address. */
export const isSuppressed = (address: string): string =>
  `exists (select from suppressions x where x.address = lower(${address}))`;
