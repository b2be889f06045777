import Branch from 'carbon-icons-svelte/lib/DirectionFork.svelte';
import Bullhorn from 'carbon-icons-svelte/lib/Bullhorn.svelte';
import Chat from 'carbon-icons-svelte/lib/Chat.svelte';
import Dice from 'carbon-icons-svelte/lib/Shuffle.svelte';
import Email from 'carbon-icons-svelte/lib/Email.svelte';
import Exit from 'carbon-icons-svelte/lib/Exit.svelte';
import Hearing from 'carbon-icons-svelte/lib/Hearing.svelte';
import Hourglass from 'carbon-icons-svelte/lib/Hourglass.svelte';
import List from 'carbon-icons-svelte/lib/ListBulleted.svelte';
import Locked from 'carbon-icons-svelte/lib/Locked.svelte';
import Over from 'carbon-icons-svelte/lib/ArrowRight.svelte';
import Repeat from 'carbon-icons-svelte/lib/Repeat.svelte';
import Star from 'carbon-icons-svelte/lib/Star.svelte';
import Subtract from 'carbon-icons-svelte/lib/SubtractAlt.svelte';
import Tag from 'carbon-icons-svelte/lib/Tag.svelte';
import Task from 'carbon-icons-svelte/lib/Task.svelte';
import TextField from 'carbon-icons-svelte/lib/Edit.svelte';
import Webhook from 'carbon-icons-svelte/lib/Api.svelte';
import type { StepName } from '$core/steps/index.ts';

/** One icon a kind; a kind without one does not compile. */
export const STEP_ICONS: Record<StepName, typeof Email> = {
  email: Email,
  sms: Chat,
  wait: Hourglass,
  listen: Hearing,
  branch: Branch,
  split: Dice,
  tag: Tag,
  list: List,
  field: TextField,
  score: Star,
  task: Task,
  notify: Bullhorn,
  call: Webhook,
  consent: Locked,
  handover: Over,
  withdraw: Subtract,
  loop: Repeat,
  leave: Exit
};

/** What a kind is called on the sheet. */
export const STEP_WORDS: Record<StepName, string> = {
  email: 'Email',
  sms: 'Text',
  wait: 'Wait',
  listen: 'Listen',
  branch: 'Branch',
  split: 'Split',
  tag: 'Tag',
  list: 'List',
  field: 'Field',
  score: 'Score',
  task: 'Task',
  notify: 'Notify',
  call: 'Call',
  consent: 'Consent',
  handover: 'Hand over',
  withdraw: 'Withdraw',
  loop: 'Loop',
  leave: 'Leave'
};
