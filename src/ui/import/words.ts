/** How an import stands, in words. */
import type { ImportLine } from '$server/imports/imports.ts';

export function stateWords({ state, undoable }: Pick<ImportLine, 'state' | 'undoable'>): string {
  switch (state) {
    case 'reading':
    case 'read':
      return 'not begun';
    case 'running':
      return 'under way';
    case 'stopped':
      return 'stopped';
    case 'done':
      return undoable ? 'done' : 'done, for good';
    case 'undoing':
      return 'being taken back';
    case 'undone':
      return 'taken back';
  }
}
