<!-- One timeline of everything a person got and did, filtered and searched; what failed is tried again from here, and why is told. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import type { TimelineLine } from '$server/people/people.ts';
  import { useFormat } from '$ui/format.ts';
  import { tell, trying } from '$ui/people/timeline.ts';
  import Why from './Why.svelte';

  type Kinds = 'all' | 'theirs' | 'messages' | 'texts';
  interface Props {
    person: number;
    timeline: TimelineLine[];
    kinds: Kinds;
    find: string;
    /** Their own zone, where it is another than the workspace's. */
    elsewhere: string | null;
  }
  let { person, timeline, kinds, find, elsewhere }: Props = $props();
  const format = useFormat();
  let open = $state<string | null>(null);
  let asked = $state<string | null>(null);
  /** Lines of which it can be said why. */
  const DECIDED = new Set(['took', 'skipped', 'refused', 'left', 'entered']);

  /** A conversation by text: what went out by it, and what came back. */
  const isText = (line: TimelineLine): boolean =>
    line.what === 'answered' ||
    line.message?.channel === 'sms' ||
    (line.what === 'replied' && line.detail['channel'] === 'sms');
  function shows(which: Kinds, line: TimelineLine, theirs: boolean): boolean {
    if (which === 'all') return true;
    if (which === 'theirs') return theirs;
    return which === 'texts'
      ? isText(line) && ['sent', 'replied', 'answered'].includes(line.what)
      : line.what === 'sent' || line.what === 'copied' || theirs;
  }
  const found = ({ what, detail }: { what: string; detail: string }): boolean =>
    `${what} ${detail}`.toLowerCase().includes(find.trim().toLowerCase());
  const lines = $derived(
    timeline
      .map((line) => ({ line, told: tell(line, format), state: trying(line) }))
      .filter(({ line, told }) => shows(kinds, line, told.theirs) && found(told))
  );
  const days = $derived(
    lines.map((l, i) =>
      i === 0 || format.date(l.line.at) !== format.date(lines[i - 1]?.line.at ?? 0) ? format.fullDate(l.line.at) : ''
    )
  );
</script>

<ol>
  {#each lines as { line, told, state }, i (line.id)}
    {#if days[i]}<li class="day">{days[i]}</li>{/if}
    <li class:theirs={told.theirs}>
      <time datetime={new Date(line.at).toISOString()}
        >{format.time(line.at)}{#if elsewhere}<small>{format.time(line.at, elsewhere)} there</small>{/if}</time
      >
      <div>
        <strong>{told.what}</strong>
        <span class="detail">{kinds === 'texts' && line.message?.body ? '' : told.detail}</span>
        {#if DECIDED.has(line.what) && line.id.startsWith('t')}
          <button
            class="act more"
            aria-expanded={asked === line.id}
            aria-label="Why: {told.what} {told.detail}"
            onclick={() => (asked = asked === line.id ? null : line.id)}>Why?</button
          >
          {#if asked === line.id}<Why from="/api/people/{person}/why/{line.id.slice(1)}" />{/if}
        {/if}
        {#if state}<div class="state">
            {state}
            {#if line.message?.state === 'queued' && line.message.attempts}<form
                method="post"
                action="?/retry"
                use:enhance
              >
                <input type="hidden" name="message" value={line.message.id} /><button class="act">Try now</button>
              </form>{/if}
            {#if line.message?.state === 'failed' || line.message?.state === 'bounced'}<form
                method="post"
                action="?/again"
                use:enhance
              >
                <input type="hidden" name="message" value={line.message.id} /><button class="act">Send again</button>
              </form>{/if}
          </div>{/if}
        {#if line.what === 'note'}
          <form class="inline" method="post" action="?/removeNote" use:enhance>
            <input type="hidden" name="note" value={line.detail['note']} /><button class="act">Take away</button>
          </form>
        {/if}
        {#if kinds === 'texts' && line.message?.body}<pre>{line.message.body}</pre>
        {:else if line.what === 'sent' && line.message?.body}
          <button
            class="act more"
            aria-expanded={open === line.id}
            onclick={() => (open = open === line.id ? null : line.id)}>{open === line.id ? 'Hide' : 'Read it'}</button
          >
          {#if open === line.id}<pre>{line.message.body}</pre>
            {#if line.message.state === 'sent'}<form class="inline" method="post" action="?/copy" use:enhance>
                <input type="hidden" name="message" value={line.message.id} />
                <input type="hidden" name="seen" value={line.message.copies} />
                <button class="act">Send it once more</button>
                <span class="soft">with these words, to the address they have now</span>
              </form>{/if}{/if}
        {/if}
      </div>
      <span class="journey"
        >{#if line.journeyKey}<a href="/journeys/{line.journeyKey}?view=watch{line.step ? `&step=${line.step}` : ''}"
            >{line.journey}</a
          >{/if}</span
      >
    </li>
  {:else}
    <li class="soft none">
      {find || kinds !== 'all'
        ? 'Nothing of that.'
        : 'Nothing yet. What this person gets and does stands here, newest first.'}
    </li>
  {/each}
</ol>

<style>
  .inline {
    display: inline;
    margin-left: 8px;
  }
  .state form {
    display: inline;
    margin-left: 8px;
  }
  ol {
    list-style: none;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  ol li {
    display: grid;
    grid-template-columns: 64px 1fr auto;
    gap: 12px;
    padding: 5px 14px;
    border-bottom: 1px solid var(--rule-soft);
  }
  ol li.day {
    display: block;
    padding: 8px 14px 4px;
    color: var(--ink-soft);
    font-size: 12.5px;
    font-weight: 650;
    background: var(--surface-2);
  }
  ol li.none {
    display: block;
    padding: 14px;
  }
  ol li.theirs {
    box-shadow: inset 3px 0 0 var(--action);
  }
  ol li > div {
    min-width: 0;
  }
  li strong {
    font-weight: 600;
  }
  .theirs strong {
    color: var(--action);
    font-weight: 700;
  }
  .detail {
    overflow-wrap: anywhere;
  }
  time small,
  li small {
    display: block;
    color: var(--ink-soft);
    font-size: 12px;
  }
  .journey {
    font-size: 12.5px;
  }
  .journey a {
    color: var(--ink-soft);
    text-decoration: none;
  }
  .journey a:hover {
    text-decoration: underline;
  }
  .more {
    margin-left: 8px;
    font-size: 12.5px;
  }
  pre {
    margin: 6px 0;
    padding: 10px;
    font: inherit;
    font-size: 13px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    background: var(--ground);
  }
  .state {
    color: var(--attention);
    font-size: 12.5px;
  }
  .state form {
    display: inline;
  }
</style>
