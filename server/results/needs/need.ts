/** One thing that needs somebody, as Today shows it. */
export interface Need {
  kind:
    'aside' | 'matter' | 'failure' | 'finding' | 'reply' | 'retry' | 'stray' | 'task' | 'live-at' | 'round' | 'doubt';
  title: string;
  detail: string;
  /** Where more of it is shown; absent where there is no such place. */
  href?: string;
  act?: string;
  /** What can be done about it at once: the form action's name, its value, and the words on its button. */
  action?: { name: 'aside' | 'resume' | 'retry' | 'again' | 'doubt'; value: string; label: string };
}
