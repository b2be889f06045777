/** Fields that every person has a column for; all others live together by name. */
export const PERSON_COLUMNS = ['email', 'phone', 'first_name', 'last_name', 'zone'] as const;
export type PersonColumn = (typeof PERSON_COLUMNS)[number];
