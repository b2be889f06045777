/** What everybody's line in a file of people is made of, beside fields of the workspace. */
export const TARGETS = [
  'email',
  'phone',
  'first_name',
  'last_name',
  'zone',
  'tags',
  'lists',
  'consent_email',
  'consent_sms'
] as const;
