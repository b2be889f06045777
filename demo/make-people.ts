/**
 * Makes `people.csv` and `visits.csv`: 600 invented people of the invented
 * Quillmoor Observatory and the days on which they came. Seeded, so that running
 * it again writes the same files. Run: npx tsx demo/make-people.ts
 */
import { writeFileSync } from 'node:fs';

let state = 20_270_111;
/** mulberry32: small, seeded, good enough to invent people with. */
function random(): number {
  state = (state + 0x6d2b79f5) | 0;
  let t = Math.imul(state ^ (state >>> 15), 1 | state);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
}
const pick = <T>(from: readonly T[]): T => from[Math.floor(random() * from.length)] as T;

const FIRST =
  'Aoife Bríd Cathal Ciara Conall Deirdre Donncha Eimear Eoin Fiadh Fionn Gráinne Iarla Laoise Lorcan Máire Niamh Oisín Orla Pádraig Ríona Róisín Saoirse Séamus Síle Tadhg Tomás Ultan Ada Bertie Clara Dora Edgar Flora Greta Hugo Idris Juno Kit Lottie Magnus Nell Otto Pearl Quentin Rosa Silas Thea Una Vera Wilf Agathe Basile Camille Didier Elodie Firmin Gaelle Hortense Jules Lucien Marguerite Noemie Odile Pascal Remi Solange'.split(
    ' '
  );
const ONE =
  'Brack Carrow Dun Fallow Glas Heather Inver Lark Mist Moor Oak Plover Quill Reed Shale Starling Thorn Tor Vale Wren'.split(
    ' '
  );
const TWO = 'bridge croft dale feather field ford gate hollow lock mere more ridge stone ward water well'.split(' ');
const TOWNS = [
  'Quillmoor',
  'Carraig Beag',
  'Dún Sailí',
  'Port Lámh',
  'Inverfallow',
  'Thornmere',
  'Larkbridge',
  'Shalewater'
];
const INTERESTS = ['planets', 'deep sky', 'photography', 'history'];
const ZONES = ['Europe/Dublin', 'Europe/Dublin', 'Europe/Dublin', 'Europe/Dublin', 'Europe/Paris', 'America/New_York'];

const plain = (name: string): string =>
  name
    .normalize('NFKD')
    .replace(/[^A-Za-z]/g, '')
    .toLowerCase();
const DAY = 86_400_000;
const START = Date.parse('2027-01-11T00:00:00Z');
const date = (at: number): string => new Date(at).toISOString().slice(0, 10);

const people = [
  [
    'email',
    'phone',
    'first_name',
    'last_name',
    'zone',
    'town',
    'language',
    'interests',
    'member',
    'consent_email',
    'consent_sms',
    'tags'
  ]
];
const visits = [['day', 'email', 'tag']];
for (let n = 0; n < 600; n++) {
  const first = pick(FIRST);
  const last = pick(ONE) + pick(TWO);
  const language = random() < 0.8 ? 'English' : random() < 0.5 ? 'Irish' : 'French';
  const member = random() < 0.22;
  const box = n % 149 === 77 ? 'no-mailbox.' : '';
  const email = `${box}${plain(first)}.${plain(last)}${n}@people.example`;
  const hasPhone = random() < 0.86;
  const tags = [member ? 'member' : '', random() < 0.02 ? 'staff' : '', random() < 0.05 ? 'school' : ''].filter(
    Boolean
  );
  people.push([
    email,
    hasPhone ? `+447700900${String(n).padStart(3, '0')}` : '',
    random() < 0.93 ? first : '',
    last,
    pick(ZONES),
    pick(TOWNS),
    language,
    INTERESTS.filter(() => random() < 0.4).join(';'),
    member ? 'yes' : 'no',
    random() < 0.94 ? 'given' : random() < 0.5 ? 'pending' : '',
    hasPhone && random() < 0.8 ? 'given' : '',
    tags.join(';')
  ]);
  // Seven weeks of evenings; Fridays and Saturdays are the busy ones.
  if (!box && random() < 0.78) {
    const week = Math.floor(random() * 7);
    const evening = pick([0, 1, 2, 3, 4, 4, 4, 5, 5, 5, 5, 6]);
    visits.push([date(START + (week * 7 + evening) * DAY), email, 'first-visit']);
  }
  // Addresses that bounce, late enough to be seen on Today.
  if (box) visits.push([date(START + 46 * DAY), email, 'first-visit']);
  if (member && random() < 0.8) visits.push([date(START + Math.floor(random() * 48) * DAY), email, 'renewal-due']);
  if (member && random() < 0.25) visits.push([date(START + (20 + Math.floor(random() * 28)) * DAY), email, 'renewed']);
}

// A few are in twice: by another spelling of their address, or under another address in the same town.
for (const [later, first, how] of [
  [531, 44, 'address'],
  [547, 113, 'name'],
  [569, 201, 'name'],
  [588, 44, 'name']
] as const) {
  const [a, b] = [people[first + 1], people[later + 1]];
  if (!a || !b) throw new Error('there are fewer people than expected');
  for (const column of [2, 3, 5]) b[column] = a[column] ?? '';
  if (how === 'name') continue;
  const [own = '', other = ''] = [b[0], a[0]];
  b[0] = other.replace('.', '').replace('@', '+stars@');
  for (const visit of visits) if (visit[1] === own) visit[1] = b[0];
}

const csv = (rows: string[][]): string =>
  rows.map((r) => r.map((c) => (/[",\n]/.test(c) ? `"${c.replace(/"/g, '""')}"` : c)).join(',')).join('\n') + '\n';
const folder = new URL('.', import.meta.url);
const [head, ...days] = visits;
days.sort((a, b) => ((a[0] ?? '') < (b[0] ?? '') ? -1 : 1));
writeFileSync(new URL('people.csv', folder), csv(people));
writeFileSync(new URL('visits.csv', folder), csv([head ?? [], ...days]));
