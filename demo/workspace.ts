/** The invented workspace of the demo: the Quillmoor Observatory. */
export const DEMO_WORKSPACE = {
  name: 'Quillmoor Observatory',
  zone: 'Europe/Dublin',
  country: 'IE' as const,
  shownField: 'town',
  shownScore: 'interest'
};

/** How it signs what it sends. */
export const DEMO_SENDER = {
  MAIL_FROM: 'Quillmoor Observatory <desk@quillmoor.example>',
  MAIL_DOMAIN: 'quillmoor.example',
  SMS_FROM: 'Quillmoor'
};
