/** Uploaded files of people: kept in parts until they are imported, for a day at most. */
import { randomUUID } from 'node:crypto';
import type { Db } from '../db/pool.ts';

/** The largest part, in bytes. */
export const PART_BYTES = 4 * 1024 * 1024;

/** So many files of one user are kept at once; an older one makes room. */
const MOST_FILES = 5;

/** So long a file that was imported is kept: its refused rows can be asked for. */
const KEPT_DAYS = 30;

/** Makes room for a file that will come in parts; files left lying for a day are taken away. */
export async function beginFile(db: Db, user: number, name: string, bytes: number): Promise<string> {
  await db.query(
    `delete from import_files f
     where (not exists (select from imports i where i.file_id = f.id and i.begun_at is not null)
         and (f.created_at < now() - interval '1 day'
           or f.id in (select o.id from import_files o where o.user_id = $1
             and not exists (select from imports i where i.file_id = o.id and i.begun_at is not null) order by o.created_at desc offset $2)))
       or f.created_at < now() - interval '${KEPT_DAYS} days'`,
    [user, MOST_FILES - 1]
  );
  const id = randomUUID();
  await db.query('insert into import_files (id, name, bytes, user_id) values ($1, $2, $3, $4)', [
    id,
    name,
    bytes,
    user
  ]);
  return id;
}

/** Keeps a part, counted from 0; the same one twice is one. False where this user has no such file or it has no such part. */
export async function keepPart(db: Db, user: number, id: string, place: number, bytes: Uint8Array): Promise<boolean> {
  const { rowCount } = await db.query(
    `insert into import_parts (file_id, place, bytes)
     select id, $3::integer, $4::bytea from import_files
     where id = $1 and user_id = $2 and $3::bigint * $5::bigint + length($4::bytea) <= bytes and length($4::bytea) <= $5::bigint
     on conflict (file_id, place) do update set bytes = excluded.bytes`,
    [id, user, place, bytes, PART_BYTES]
  );
  return (rowCount ?? 0) > 0;
}

export interface ImportFile {
  id: string;
  name: string;
  bytes: number;
  /** Whether all of it is here. */
  whole: boolean;
}

/** A file of this user; `null` where there is none. */
export async function importFile(db: Db, user: number, id: string): Promise<ImportFile | null> {
  const { rows } = await db.query<ImportFile>(
    `select id, name, bytes, bytes = (select coalesce(sum(length(p.bytes)), 0) from import_parts p where p.file_id = id) as whole
     from import_files where id = $1 and user_id = $2`,
    [id, user]
  );
  return rows[0] ?? null;
}

/** The parts of a file in their order, each read when its turn comes. Throws where it is taken away meanwhile. */
export async function* partsOf(db: Db, { id, bytes }: Pick<ImportFile, 'id' | 'bytes'>): AsyncGenerator<Uint8Array> {
  for (let place = 0; place * PART_BYTES < bytes; place++) {
    const { rows } = await db.query<{ bytes: Buffer }>(
      'select bytes from import_parts where file_id = $1 and place = $2',
      [id, place]
    );
    const [part] = rows;
    if (!part) throw new Error('the file was taken away while it was read');
    yield part.bytes;
  }
}
