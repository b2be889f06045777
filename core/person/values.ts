/** The values that facts of a person are made of. Types and their names alone: no file of the core is needed to read this one. */

/** What messages go out by. */
export const CHANNELS = ['email', 'sms'] as const;
export type Channel = (typeof CHANNELS)[number];

/** Types that a field can be declared with. */
export const FIELD_TYPES = ['text', 'number', 'date', 'instant', 'yesno', 'choice', 'choices'] as const;
export type FieldType = (typeof FIELD_TYPES)[number];

/** Text, choices, dates (`2027-03-01`) and instants (ISO) as text; several choices as an array. */
export type FieldValue = string | number | boolean | string[];

/** Consent for one channel; absent where it was never asked. */
export type ConsentState = 'given' | 'pending' | 'withdrawn';
