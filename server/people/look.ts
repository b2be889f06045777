/** What an import of a file would do: how many are new, which rows are refused and why. Changes nothing. */
import type { CountryCode } from 'libphonenumber-js/min';
import type { Db } from '../db/pool.ts';
import type { Row, Table } from './csv.ts';
import { matchRows, type Taken } from './import.ts';
import { checkRows, isRefused, type GoodRow, type Refused, type Target } from './rows.ts';

/** Rows shown as they stand in the file, and refused rows named in full. */
const PREVIEW = 8;
const NAMED = 200;
/** Refused rows kept to name the first of; those that come later are only counted. */
const KEPT = 10_000;
/** Rows looked up at once. */
const AT_ONCE = 5000;
/** Tags named. */
const TAGS = 200;

export interface Looked {
  header: string[];
  targets: Target[];
  rows: number;
  made: number;
  updated: number;
  /** The first of them, by line. */
  refused: Refused[];
  refusedTotal: number;
  tags: string[];
  preview: Row[];
}

/** Looks at every row of a file. `tell` hears how many it has seen; `signal` ends it early, with what was seen until then. */
export async function lookAt(
  db: Db,
  table: Table,
  targets: Target[],
  country: CountryCode | null,
  tell: (rows: number) => void = () => undefined,
  signal?: AbortSignal
): Promise<Looked> {
  const looked: Looked = {
    header: table.header,
    targets,
    rows: 0,
    made: 0,
    updated: 0,
    refused: [],
    refusedTotal: 0,
    tags: [],
    preview: []
  };
  const tags = new Set<string>();
  const taken: Taken = new Map();
  const refuse = (rows: Refused[]): void => {
    looked.refusedTotal += rows.length;
    if (looked.refused.length < KEPT) looked.refused.push(...rows);
  };
  let part: GoodRow[] = [];
  const match = async (): Promise<void> => {
    const { matched, refused } = await matchRows(db, part, taken);
    part = [];
    refuse(refused);
    for (const { row, person } of matched) {
      if (person === null) looked.made++;
      else looked.updated++;
      for (const tag of row.tags) if (tags.size < TAGS) tags.add(tag);
    }
    tell(looked.rows);
  };
  const shown = async function* (): AsyncGenerator<Row> {
    for await (const row of table.rows) {
      if (looked.preview.length < PREVIEW) looked.preview.push(row);
      looked.rows++;
      yield row;
    }
  };
  for await (const row of checkRows({ header: table.header, rows: shown() }, targets, country)) {
    if (signal?.aborted) break;
    if (isRefused(row)) refuse([row]);
    else if (part.push(row) >= AT_ONCE) await match();
  }
  if (part.length) await match();
  looked.tags = [...tags].sort();
  looked.refused = looked.refused.sort((a, b) => a.line - b.line).slice(0, NAMED);
  return looked;
}
