/** How each kind of step is shown: its icon, what it is called, and its form in the panel. A kind of the core without a line here does not compile. */
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
import type { Component } from 'svelte';
import type { Step, StepName } from '$core/steps/index.ts';
import CallPanel from './panels/CallPanel.svelte';
import ConsentPanel from './panels/ConsentPanel.svelte';
import EmailPanel from './panels/EmailPanel.svelte';
import FieldPanel from './panels/FieldPanel.svelte';
import HandoverPanel from './panels/HandoverPanel.svelte';
import LeavePanel from './panels/LeavePanel.svelte';
import ListPanel from './panels/ListPanel.svelte';
import ListenPanel from './panels/ListenPanel.svelte';
import LoopPanel from './panels/LoopPanel.svelte';
import NotifyPanel from './panels/NotifyPanel.svelte';
import SplitPanel from './panels/SplitPanel.svelte';
import TaskPanel from './panels/TaskPanel.svelte';
import WithdrawPanel from './panels/WithdrawPanel.svelte';
import SmsPanel from './panels/SmsPanel.svelte';
import BranchPanel from './panels/BranchPanel.svelte';
import TagPanel from './panels/TagPanel.svelte';
import ScorePanel from './panels/ScorePanel.svelte';
import type { PanelProps } from './panels/panel.ts';

interface ShownKind<S extends Step> {
  icon: typeof Email;
  called: string;
  /** `null`: named and noted only; all else is kept as the file says. */
  panel: Component<PanelProps<S>> | null;
}

export const SHOWN: { [K in StepName]: ShownKind<Extract<Step, { kind: K }>> } = {
  email: { icon: Email, called: 'Email', panel: EmailPanel },
  sms: { icon: Chat, called: 'Text', panel: SmsPanel },
  wait: { icon: Hourglass, called: 'Wait', panel: null },
  listen: { icon: Hearing, called: 'Listen', panel: ListenPanel },
  branch: { icon: Branch, called: 'Branch', panel: BranchPanel },
  split: { icon: Dice, called: 'Split', panel: SplitPanel },
  tag: { icon: Tag, called: 'Tag', panel: TagPanel },
  list: { icon: List, called: 'List', panel: ListPanel },
  field: { icon: TextField, called: 'Field', panel: FieldPanel },
  score: { icon: Star, called: 'Score', panel: ScorePanel },
  task: { icon: Task, called: 'Task', panel: TaskPanel },
  notify: { icon: Bullhorn, called: 'Notify', panel: NotifyPanel },
  call: { icon: Webhook, called: 'Call', panel: CallPanel },
  consent: { icon: Locked, called: 'Consent', panel: ConsentPanel },
  handover: { icon: Over, called: 'Hand over', panel: HandoverPanel },
  withdraw: { icon: Subtract, called: 'Withdraw', panel: WithdrawPanel },
  loop: { icon: Repeat, called: 'Loop', panel: LoopPanel },
  leave: { icon: Exit, called: 'Leave', panel: LeavePanel }
};

/** Kinds that the sheet puts in: those that it has a form for, and waits, which are typed into the gaps. */
export const SHEET_KINDS = (Object.keys(SHOWN) as StepName[]).filter((kind) => kind === 'wait' || SHOWN[kind].panel);

/** The form of a step's kind, typed for any step. */
export const panelOf = (step: Step): Component<PanelProps> | null =>
  // The table pairs each kind with its own steps, which a plain index type cannot express.
  SHOWN[step.kind].panel as Component<PanelProps> | null;
