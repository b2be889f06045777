/** A batch's people, as they are loaded. */
import type { PersonState } from '../../core/person/state.ts';
import type { Subject } from '../../core/person/subject.ts';
import type { Input } from '../../core/person/world.ts';
import type { Walk } from '../../core/walk/walk.ts';
import type { Unreadable } from '../inbox/request.ts';
import type { Refusal } from './load-addresses.ts';

export interface InboxItem {
  /** Its row; `null` of what stands in none: what was missed while a journey was paused. */
  id: number | null;
  at: number;
  /** The message it is about, where whoever stored it knew. */
  message: number | null;
  input: Input;
  /** Who says so: somebody by name, `import 3`, a program. */
  by: string;
  /** The step whose message or task it is about, where whoever stored it knew no more. */
  of?: Subject;
}

/** What a batch's people need, beside themselves. */
export interface Loaded {
  people: LoadedPerson[];
  /** Lower-case addresses. */
  suppressed: Set<string>;
  /** Happenings that are asked about over everything ever recorded: by the settings, live plans and walks under way. */
  asks: Set<string>;
  /** Changes of addresses that cannot be, and were left out. */
  refused: Refusal[];
}

export interface LoadedPerson {
  id: number;
  state: PersonState;
  /** The instant of the last work done for this person, UTC ms; -Infinity where there was none. */
  worked: number;
  /** When they became known here, UTC ms. */
  since: number;
  inbox: InboxItem[];
  /** What waits next cannot be read: whoever carries it out stops there, whoever only looks leaves it out. */
  broken: Unreadable | null;
  /** Whether more waits than was loaded: what is due behind the last of it has to wait too. */
  more: boolean;
  /** Walks as loaded, whatever becomes of them. */
  walks: Walk[];
}
