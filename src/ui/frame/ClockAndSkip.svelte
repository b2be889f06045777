<script lang="ts">
  import { Button, Checkbox, TextInput } from 'carbon-components-svelte';
  import ChevronDown from 'carbon-icons-svelte/lib/ChevronDown.svelte';
  import Time from 'carbon-icons-svelte/lib/Time.svelte';
  import { fromWall } from '$core/time/civil.ts';
  import type { Clock } from '$server/workspace/clock.ts';
  import type { SkipRow } from '$server/running/skip.ts';
  import { send } from '$ui/api.ts';
  import { refreshLive } from '$ui/kit/refresh.ts';
  import { useFormat } from '$ui/format.ts';
  import { number } from '$core/tell/words.ts';

  let { clock, skip }: { clock: Clock; skip: SkipRow | null } = $props();
  const format = useFormat();
  const HOUR = 3_600_000;
  const choices = [
    { name: 'To the next thing due', to: 'next' as const },
    { name: '1 hour', to: { ms: HOUR } },
    { name: '1 day', to: { ms: 24 * HOUR } },
    { name: '2 days', to: { ms: 48 * HOUR } },
    { name: '1 week', to: { ms: 168 * HOUR } },
    { name: '30 days', to: { ms: 720 * HOUR } }
  ];

  let open = $state(false);
  // The choice starts as the workspace last had it.
  // svelte-ignore state_referenced_locally
  let passersBy = $state(clock.passersBy);
  let date = $state('');
  let problem = $state('');
  let button = $state<HTMLButtonElement>();
  const running = $derived(skip?.state === 'asked' || skip?.state === 'running');
  const share = $derived.by(() => {
    if (!skip?.target) return null;
    return Math.min(1, Math.max(0, (clock.now - skip.started_from) / (skip.target - skip.started_from)));
  });

  async function ask(to: 'next' | { ms: number } | { at: string }): Promise<void> {
    problem = '';
    const answer = await send('POST', '/api/clock/skip', { to, passersBy });
    if (answer.ok) {
      open = false;
      button?.focus();
    } else problem = answer.message;
    await refreshLive();
  }

  async function toDate(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (date) await ask({ at: new Date(fromWall(format.zone, Date.parse(`${date}T09:00:00Z`))).toISOString() });
  }

  function onkeydown(event: KeyboardEvent): void {
    if (event.key !== 'Escape') return;
    open = false;
    button?.focus();
  }
</script>

<div class="clock">
  <Time size={16} aria-hidden="true" />
  <time datetime={new Date(clock.now).toISOString()} data-testid="clock"
    >{format.fullDate(clock.now)}, {format.time(clock.now)}</time
  >
  {#if clock.kind === 'practice'}<span class="practice">practice</span>{/if}
</div>
{#if clock.kind === 'practice'}
  {#if running}
    <div class="progress" role="status">
      <span class="bar" aria-hidden="true"><span style="width: {(share ?? 0.5) * 100}%"></span></span>
      {#if skip?.waiting}<span class="waiting" title={skip.waiting}>{skip.waiting}</span>
      {:else}<span>{number(skip?.hops ?? 0)} stops</span>{/if}
      <button class="act" onclick={() => void send('DELETE', '/api/clock/skip')}>Stop</button>
    </div>
  {:else}
    <div class="skip">
      <button
        bind:this={button}
        class="opens"
        aria-expanded={open}
        aria-controls="skip-menu"
        onclick={() => (open = !open)}
      >
        Skip ahead <ChevronDown size={16} aria-hidden="true" />
      </button>
      {#if open}
        <!-- svelte-ignore a11y_no_static_element_interactions (Escape closes what its buttons opened) -->
        <div id="skip-menu" class="menu" {onkeydown}>
          <p class="soft">Time moves from one due instant to the next and waits for all work there.</p>
          <ul>
            {#each choices as { name, to } (name)}
              <li><button class="choice" onclick={() => void ask(to)}>{name}</button></li>
            {/each}
          </ul>
          <form onsubmit={toDate}>
            <TextInput
              size="sm"
              type="date"
              labelText="To a date, 09:00"
              bind:value={date}
              min={new Date(clock.now).toISOString().slice(0, 10)}
              required
            />
            <Button size="small" kind="tertiary" type="submit">Go</Button>
          </form>
          <Checkbox labelText="Passers-by react meanwhile" bind:checked={passersBy} />
          {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
          {#if skip?.state === 'failed'}<p class="problem" role="alert">The last skip stopped: {skip.error}</p>{/if}
        </div>
      {/if}
    </div>
  {/if}
{/if}

<style>
  .clock {
    display: flex;
    gap: 8px;
    align-items: center;
    white-space: nowrap;
  }
  .waiting {
    max-width: 320px;
    overflow: hidden;
    color: var(--attention);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .practice {
    padding: 0 6px;
    color: var(--attention);
    font-size: 12px;
    background: var(--attention-ground);
    border: 1px solid var(--attention-rule);
  }
  .skip {
    position: relative;
  }
  .opens {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 4px 0;
    color: var(--action);
    font: inherit;
    white-space: nowrap;
    background: none;
    border: 0;
    cursor: pointer;
  }
  .menu {
    position: absolute;
    top: 34px;
    right: 0;
    z-index: 9;
    width: 264px;
    padding: 12px 14px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
    box-shadow: 0 6px 20px var(--shade);
  }
  .menu p {
    font-size: 12.5px;
  }
  ul {
    margin: 8px -14px;
    list-style: none;
  }
  .choice {
    width: 100%;
    padding: 6px 14px;
    color: var(--ink);
    font: inherit;
    text-align: left;
    background: none;
    border: 0;
    cursor: pointer;
  }
  .choice:hover,
  .choice:focus-visible {
    color: var(--action);
    background: var(--action-ground);
    outline-offset: -2px;
  }
  form {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 4px 8px;
    padding: 8px 0;
    border-top: 1px solid var(--rule-soft);
  }
  .problem {
    margin-top: 8px;
    color: var(--failure);
  }
  .progress {
    display: flex;
    gap: 10px;
    align-items: center;
    white-space: nowrap;
  }
  .bar {
    width: 90px;
    height: 4px;
    background: var(--rule);
  }
  .bar span {
    display: block;
    height: 100%;
    background: var(--action);
  }
</style>
