/** What the form of one step kind is given, and gives back. */
import type { Step } from '$core/steps/index.ts';
import type { KnownNames } from '$server/people/names.ts';
import type { SamplePerson } from '$server/people/sample.ts';
import type { Editor } from '../editor.svelte.ts';

/** What can be named in conditions and steps here. */
export interface Nameable extends KnownNames {
  /** Messages that can be asked about. */
  messages: Step[];
  /** Tasks that can be listened for. */
  tasks: Step[];
  /** All journeys there are. */
  journeys: { key: string; name: string }[];
}

export interface PanelProps<S extends Step = Step> {
  editor: Editor;
  step: S;
  /** Sets one key; text left empty takes the key out, where the key may be absent. */
  set: (key: string, value: unknown, optional?: boolean) => void;
  known: Nameable;
  sample: SamplePerson[];
}

/** The text of an input event of Carbon's. */
export const inputText = (event: unknown): string =>
  String((event as CustomEvent<string | number | null>).detail ?? '');
