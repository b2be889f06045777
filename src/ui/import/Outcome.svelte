<!-- One import: how far it is, what it did, what stays to be done with it. -->
<script lang="ts">
  import { Button, ProgressBar } from 'carbon-components-svelte';
  import type { ImportLine } from '$server/imports/imports.ts';
  import { number, plural } from '$core/tell/words.ts';

  interface Props {
    line: ImportLine;
    stays: { person: number; name: string; what: string }[];
    act: (act: 'stop' | 'go on' | 'undo' | 'read again') => void;
    problem: string;
  }
  let { line, stays, act, problem }: Props = $props();
  let asking = $state(false);
  const TITLES = {
    reading: 'Not begun',
    read: 'Not begun',
    running: 'Importing',
    stopped: 'Stopped',
    done: 'Imported',
    undoing: 'Taking it back',
    undone: 'Taken back'
  } as const;
  const done = $derived(line.made + line.updated + line.unchanged);
  const lost = $derived(line.state === 'stopped' && /Read it again/.test(line.problem ?? ''));
  const reasons = $derived(groups(stays));

  function groups(of: typeof stays): [string, typeof stays][] {
    const by = new Map<string, typeof stays>();
    for (const s of of) by.set(s.what, [...(by.get(s.what) ?? []), s]);
    return [...by];
  }
</script>

<section role="status">
  <h2>{TITLES[line.state]}</h2>
  {#if line.state === 'running' || line.state === 'stopped'}
    <ProgressBar
      value={done}
      max={Math.max(1, line.total)}
      labelText="People taken in"
      helperText="{number(done)} of {number(line.total)}"
    />
  {/if}
  <p data-testid="imported">
    <strong>{number(line.made)}</strong> new, <strong>{number(line.updated)}</strong> changed{line.unchanged
      ? `, ${number(line.unchanged)} unchanged since the file was read`
      : ''}.{line.keptWithdrawn
      ? ` ${plural(line.keptWithdrawn, 'consent stays', 'consents stay')} withdrawn, whatever the file says.`
      : ''}
  </p>
  {#if line.state === 'undoing' || line.state === 'undone'}
    <p data-testid="undone">
      {plural(line.removed, 'person it made is', 'people it made are')} gone, {plural(
        line.restored,
        'person is as before',
        'people are as before'
      )}{line.stays ? `, ${number(line.stays)} ${line.stays === 1 ? 'thing stays' : 'things stay'}` : ''}.
    </p>
  {/if}
  {#if line.problem}<p class="problem" role="alert">{line.problem}</p>{/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <div class="acts">
    {#if line.state === 'running'}<Button kind="tertiary" size="small" on:click={() => act('stop')}>Stop</Button>{/if}
    {#if lost}<Button size="small" on:click={() => act('read again')}>Read the file again and go on</Button>
    {:else if line.state === 'stopped'}<Button size="small" on:click={() => act('go on')}>Go on</Button>{/if}
    {#if line.undoable && !asking}
      <Button kind="tertiary" size="small" on:click={() => (asking = true)}>Take it back …</Button>
    {/if}
    <a href="/people">Show the people</a>
    {#if line.refused && line.file}
      <a href="/api/people/imports/{line.id}/refused" download
        >Save the {plural(line.refused, 'refused row', 'refused rows')} as CSV, with why</a
      >
    {/if}
  </div>
  {#if asking && line.undoable}
    <div class="ask">
      <p>
        {plural(line.made, 'person whom it made goes', 'people whom it made go')}, {plural(
          line.updated,
          'changed one is as before',
          'changed ones are as before'
        )}. What came since by other hands stays: whoever was written to or got into a journey, facts that were changed
        again. Journeys hear of it as they heard of the import.
      </p>
      <Button kind="danger" size="small" on:click={() => ((asking = false), act('undo'))}>Take it back</Button>
      <Button kind="ghost" size="small" on:click={() => (asking = false)}>Keep it</Button>
    </div>
  {/if}
</section>
{#if stays.length}
  <section>
    <h2>What stays</h2>
    {#each reasons as [what, people] (what)}
      <p>
        <strong>{what}</strong>: {#each people.slice(0, 20) as p, i (p.person)}{i ? ', ' : ''}<a
            href="/people/{p.person}">{p.name}</a
          >{/each}{people.length > 20 ? ` and ${people.length - 20} more` : ''}
      </p>
    {/each}
  </section>
{/if}

<style>
  section {
    max-width: 860px;
    margin-bottom: 12px;
    padding: 12px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  h2 {
    margin-bottom: 6px;
    font-size: 14px;
    font-weight: 700;
  }
  .acts {
    display: flex;
    gap: 16px;
    align-items: center;
    margin-top: 10px;
  }
  .ask {
    margin-top: 10px;
    padding: 8px 12px;
    background: var(--attention-ground);
    border: 1px solid var(--attention-rule);
  }
  .problem {
    color: var(--failure);
  }
</style>
