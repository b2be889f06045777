/** What somebody is called where they are shown, as SQL: their name, else the address they are reached at. */

/** Of a row `p` of `people`; `otherwise`: SQL of what stands where there is no name. */
export const nameSql = (p = 'p', otherwise = `${p}.email, ${p}.phone`): string =>
  `coalesce(nullif(concat_ws(' ', ${p}.first_name, ${p}.last_name), ''), ${otherwise})`;
