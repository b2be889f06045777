import Branch from 'carbon-icons-svelte/lib/DirectionFork.svelte';
import Chat from 'carbon-icons-svelte/lib/Chat.svelte';
import Email from 'carbon-icons-svelte/lib/Email.svelte';
import Hourglass from 'carbon-icons-svelte/lib/Hourglass.svelte';
import Star from 'carbon-icons-svelte/lib/Star.svelte';
import Tag from 'carbon-icons-svelte/lib/Tag.svelte';
import type { StepName } from '$core/steps/index.ts';

/** One icon a kind; a kind without one does not compile. */
export const STEP_ICONS: Record<StepName, typeof Email> = {
  email: Email,
  sms: Chat,
  wait: Hourglass,
  branch: Branch,
  tag: Tag,
  score: Star
};

/** What a kind is called on the sheet. */
export const STEP_WORDS: Record<StepName, string> = {
  email: 'Email',
  sms: 'Text',
  wait: 'Wait',
  branch: 'Branch',
  tag: 'Tag',
  score: 'Score'
};
