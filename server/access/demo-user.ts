/** The one account of the demo; its password is shown on the sign-in page in demo mode only. */
export const DEMO_USER = { email: 'nuala@quillmoor.example', name: 'Nuala B.', password: 'dome-at-dusk' };
