/** Everything of one person as one ZIP: facts as JSON, tables as CSV, emails as they were sent. */
import { strToU8, zip } from 'fflate';
import { createTransport } from 'nodemailer';
import { stringify } from 'csv-stringify/sync';
import type { Db } from '../db/pool.ts';

/** Tables of a person, and what of them is given: each becomes a CSV. Our own marks and hidden addresses are left out. */
const TABLES: Record<string, string> = {
  tags: 'select tag, since from person_tags where person_id = $1 order by since, tag',
  lists: 'select list, since from person_lists where person_id = $1 order by since, list',
  segments: 'select segment, since from person_segments where person_id = $1 order by since, segment',
  consents: 'select channel, state, at, source, wording, address from consent_records where person_id = $1 order by id',
  addresses: 'select address, channel, since from other_addresses where person_id = $1 order by since, address',
  scores: 'select score, points, at from scores where person_id = $1 order by score',
  journeys: `select j.name as journey, w.version, w.state, w.step, w.entered_at, w.begun_by, w.due_at, w.ended_at, w.reason, w.goal_reached
    from walks w join journeys j on j.id = w.journey_id where w.person_id = $1 order by w.id`,
  trail: `select t.at, j.name as journey, t.step, t.what, t.detail from trail t join journeys j on j.id = t.journey_id
    where t.person_id = $1 order by t.id`,
  happenings: `select h.at, h.name, h.source, j.name as journey, h.step, h.data from happenings h
    left join journeys j on j.id = h.journey_id where h.person_id = $1 and h.name <> 'look' order by h.id`,
  messages: `select m.id, m.created_at, m.sent_at, j.name as journey, m.step, m.channel, m.address, m.state, m.subject, m.body, m.opened_at, m.clicked_at, m.replied_at, m.copies
    from messages m join journeys j on j.id = m.journey_id where m.person_id = $1 order by m.id`,
  answers: 'select at, address, body, by, state from answers where person_id = $1 order by id',
  tasks: `select k.created_at, k.title, k.what, k.note, k.assignee, k.done_at, k.done_by, k.outcome from tasks k where k.person_id = $1 order by k.id`,
  notes: 'select at, by, words from person_notes where person_id = $1 order by id',
  imports: `select i.name, i.begun_at, c.before, c.after from import_changes c join imports i on i.id = c.import_id where c.person_id = $1 order by i.id`
};

const INSTANT = /(^at|_at|since)$/;

function cellOf(name: string, value: unknown): unknown {
  if (value === null || value === undefined) return '';
  if (typeof value === 'number' && INSTANT.test(name)) return new Date(value).toISOString();
  return typeof value === 'object' ? JSON.stringify(value) : value;
}

const csvOf = (rows: Record<string, unknown>[], columns: string[]): string =>
  stringify([columns, ...rows.map((r) => columns.map((c) => cellOf(c, r[c])))], { escape_formulas: true, bom: true });

/** The files of one person; `null` where there is none. `from`: the address mails are sent from. */
export async function everythingOf(
  db: Db,
  id: number,
  from: string
): Promise<Record<string, string | Uint8Array> | null> {
  const { rows } = await db.query<Record<string, unknown>>(
    `select p.email, p.phone, p.first_name, p.last_name, p.zone, p.fields, p.created_at, p.updated_at, i.name as came_with,
       (select to_jsonb(a.state) from agenda a where a.person_id = p.id) as kept
     from people p left join imports i on i.id = p.import_id where p.id = $1`,
    [id]
  );
  const [person] = rows;
  if (!person) return null;
  const files: Record<string, string | Uint8Array> = {
    'person.json': JSON.stringify(
      Object.fromEntries(Object.entries(person).map(([k, v]) => [k, typeof v === 'number' ? cellOf(k, v) : v])),
      null,
      2
    )
  };
  for (const [name, text] of Object.entries(TABLES)) {
    const table = await db.query<Record<string, unknown>>(text, [id]);
    if (!table.rows.length) continue;
    files[`${name}.csv`] = csvOf(
      table.rows,
      table.fields.map((f) => f.name)
    );
    if (name !== 'messages') continue;
    for (const m of table.rows)
      if (m['channel'] === 'email' && m['body'] !== null && m['sent_at'] !== null)
        files[`messages/${String(m['id'])}.eml`] = await emailOf(m, from);
  }
  return files;
}

/** Writes a mail as text instead of handing it over. */
const written = createTransport({ streamTransport: true, buffer: true });

async function emailOf(m: Record<string, unknown>, from: string): Promise<Uint8Array> {
  const { message } = await written.sendMail({
    from,
    to: String(m['address']),
    subject: String(m['subject'] ?? ''),
    text: String(m['body']),
    date: new Date(Number(m['sent_at'])),
    messageId: `<${String(m['id'])}@everything.invalid>`,
    disableFileAccess: true,
    disableUrlAccess: true
  });
  return message as Buffer;
}

/** The ZIP of these files. */
export const zipOf = (files: Record<string, string | Uint8Array>): Promise<Uint8Array> =>
  new Promise((resolve, reject) => {
    const bytes = Object.fromEntries(
      Object.entries(files).map(([k, v]) => [k, typeof v === 'string' ? strToU8(v) : v])
    );
    zip(bytes, { level: 6 }, (error, data) => (error ? reject(error) : resolve(data)));
  });
