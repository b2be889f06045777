/**
 * The folder in which a start keeps its data: its own, reached by nobody else,
 * and used by one start at a time.
 */
import { createHash } from 'node:crypto';
import { chmodSync, lstatSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** A folder that cannot be used: why, and what to do. */
export class BadFolder extends Error {}

/** Folder that the database's user can reach, told apart by checkout. */
export function dataDir(root: string): string {
  if (process.getuid?.() !== 0) return join(root, '.ambulo');
  return join('/var/tmp', `ambulo-${createHash('sha256').update(root).digest('hex').slice(0, 12)}`);
}

/**
 * Makes a folder of our own, or takes the one that is there, if it is no link and nobody else's. As root the database's
 * user has to pass through it, and can do no more than that; otherwise it is ours alone.
 */
export function ownFolder(dir: string): void {
  const root = process.getuid?.() === 0;
  try {
    mkdirSync(dir, { mode: 0o700 });
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === 'ENOENT') throw new BadFolder(`${dir} cannot be made: the folder it is to be in is not there`);
    if (code !== 'EEXIST')
      throw new BadFolder(`${dir} cannot be made (${code}): is its disk full, or not yours to write on?`);
  }
  const found = lstatSync(dir);
  if (found.isSymbolicLink()) throw new BadFolder(`${dir} is a link; data is not kept behind links. Remove it`);
  if (!found.isDirectory()) throw new BadFolder(`${dir} is no folder. Remove it`);
  if (found.uid !== process.getuid?.())
    throw new BadFolder(`${dir} belongs to somebody else (user ${found.uid}). Have it removed`);
  chmodSync(dir, root ? 0o711 : 0o700);
  // Rights do not say everything: a disk can be full, or mounted for reading only.
  const probe = join(dir, `.probe-${process.pid}`);
  try {
    writeFileSync(probe, 'x', { mode: 0o600 });
  } catch (error) {
    throw new BadFolder(
      `nothing can be written in ${dir} (${(error as { code?: string }).code}): is its disk full, or not yours to write on?`
    );
  } finally {
    rmSync(probe, { force: true });
  }
}

interface Holder {
  pid: number;
  /** When that process began, as the system counts it: its number alone may be another's by now. */
  began: string;
  what: string;
}

/** When a process began; `null` where there is none of that number. */
function began(pid: number): string | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? null;
  } catch {
    return null;
  }
}

/**
 * Takes a folder for this process; gives what lets it go. Throws {@link BadFolder} with who has it, where that process
 * lives. `what`: what is said of this one to others.
 */
export function lockFolder(dir: string, what: string): () => void {
  const file = join(dir, 'in-use.json');
  for (let tries = 0; tries < 3; tries++) {
    try {
      const own: Holder = { pid: process.pid, began: began(process.pid) ?? '', what };
      writeFileSync(file, JSON.stringify(own), { flag: 'wx', mode: 0o600 });
      return () => rmSync(file, { force: true });
    } catch (error) {
      if ((error as { code?: string }).code !== 'EEXIST') throw error;
    }
    const holder = holderOf(file);
    if (holder && began(holder.pid) === holder.began)
      throw new BadFolder(
        `Ambulo runs here already: ${holder.what}, process ${holder.pid}, with its data in ${dir}. It is left alone. Stop it first (kill ${holder.pid})`
      );
    rmSync(file, { force: true });
  }
  throw new BadFolder(`${file} cannot be taken; another start is doing the same at this moment`);
}

function holderOf(file: string): Holder | null {
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as Holder;
  } catch {
    return null;
  }
}
