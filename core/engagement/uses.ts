/** Where ladders and score models are read or set: found in documents by the keys that name them. */
const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

export interface Engaged {
  kind: 'ladder' | 'score';
  name: string;
  /** Of a ladder: the names of its rungs. */
  rungs: readonly string[];
}

/** Whether any part of a document goes by a ladder or a score. A rung without a ladder's name is one of any ladder that has it. */
export function usesEngaged(document: unknown, of: Engaged): boolean {
  // A list of what is still to be looked at instead of recursion: documents come from outside.
  const todo = [document];
  while (todo.length) {
    const part = todo.pop();
    if (Array.isArray(part)) for (const p of part) todo.push(p);
    if (!isObject(part)) continue;
    if (of.kind === 'score' ? part['score'] === of.name : namesLadder(part, of)) return true;
    for (const p of Object.values(part)) todo.push(p);
  }
  return false;
}

function namesLadder(part: Record<string, unknown>, { name, rungs }: Engaged): boolean {
  if (part['ladder'] === name) return true;
  if (part['ladder'] !== undefined) return false;
  if (part['happening'] === 'rung_changed') {
    const told = [part['to'], part['from']].flat().filter((r) => r !== undefined);
    return told.length === 0 || told.some((r) => rungs.includes(String(r)));
  }
  return part['rung'] !== undefined && [part['rung']].flat().some((r) => rungs.includes(String(r)));
}
