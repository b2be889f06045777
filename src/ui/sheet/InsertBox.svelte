<script lang="ts">
  import { onMount } from 'svelte';
  import { STEP_KINDS, type StepName } from '$core/steps/index.ts';
  import { typedUntil, type TypedAround } from '$core/edit/typed-until.ts';
  import { untilWords } from '$core/steps/wait.ts';
  import { SHEET_KINDS, SHOWN } from './kinds.ts';

  interface Props {
    x: number;
    y: number;
    filter: string;
    around: TypedAround;
    onchoose: (kind: StepName) => void;
    /** What was typed is an instant to wait for. */
    onwait: (text: string) => void;
    onleave: () => void;
  }
  let { x, y, filter, around, onchoose, onwait, onleave }: Props = $props();

  // The letter that opened the box begins the filter; from then on it is typed here.
  // svelte-ignore state_referenced_locally
  let text = $state(filter);
  let at = $state(0);
  let input: HTMLInputElement;
  const found = $derived.by(() => {
    const typed = text.trim().toLowerCase();
    const begins = (k: StepName): boolean => SHOWN[k].called.toLowerCase().startsWith(typed) || k.startsWith(typed);
    const holds = (k: StepName): boolean => STEP_KINDS[k].does.includes(typed);
    // What is typed to its end is meant: "list" is no listen.
    const whole = (k: StepName): number => (SHOWN[k].called.toLowerCase() === typed || k === typed ? 0 : 1);
    const named = SHEET_KINDS.filter(begins).sort((a, b) => whole(a) - whole(b));
    return [...named, ...SHEET_KINDS.filter((k) => !begins(k) && typed.length > 1 && holds(k))];
  });

  /** An instant that is typed where a kind could be: "fri 16:00", "on visit". */
  const until = $derived.by(() => {
    const read = text.trim() === '' ? null : typedUntil(text, around);
    return read && 'until' in read ? untilWords(read.until) : null;
  });
  const count = $derived(found.length + (until ? 1 : 0));
  function take(place: number): void {
    if (until && place === 0) return onwait(text);
    const kind = found[place - (until ? 1 : 0)];
    if (kind) onchoose(kind);
  }

  function onkeydown(event: KeyboardEvent): void {
    event.stopPropagation();
    if (event.key === 'ArrowDown') at = Math.min(at + 1, count - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter') {
      take(at);
    } else if (event.key === 'Escape') onleave();
    else return;
    event.preventDefault();
  }

  onMount(() => {
    input.focus();
    input.setSelectionRange(text.length, text.length);
  });
</script>

<div class="box" style="left: {x}px; top: {y}px">
  <input
    bind:this={input}
    bind:value={text}
    oninput={() => (at = 0)}
    {onkeydown}
    onblur={onleave}
    placeholder="What comes here?"
    aria-label="Kind of step to put here"
    role="combobox"
    aria-expanded="true"
    aria-controls="kinds"
    aria-activedescendant={count ? `kind-${at}` : undefined}
    autocomplete="off"
  />
  <ul id="kinds" role="listbox" aria-label="Kinds of step">
    {#if until}
      <!-- svelte-ignore a11y_click_events_have_key_events (the keys are the input's) -->
      <li
        id="kind-0"
        role="option"
        aria-selected={at === 0}
        onmousedown={(e) => e.preventDefault()}
        onclick={() => take(0)}
      >
        <SHOWN.wait.icon size={16} aria-hidden="true" /><strong>Wait</strong><span>{until}</span>
      </li>
    {/if}
    {#each found as kind, n (kind)}
      {@const i = n + (until ? 1 : 0)}
      {@const Icon = SHOWN[kind].icon}
      <!-- svelte-ignore a11y_click_events_have_key_events (the keys are the input's) -->
      <li
        id="kind-{i}"
        role="option"
        aria-selected={i === at}
        onmousedown={(e) => e.preventDefault()}
        onclick={() => take(i)}
      >
        <Icon size={16} aria-hidden="true" /><strong>{SHOWN[kind].called}</strong><span>{STEP_KINDS[kind].does}</span>
      </li>
    {:else}{#if !until}
        <li role="option" aria-selected="false" class="none">No kind of step fits “{text}”. Esc leaves.</li>{/if}
    {/each}
  </ul>
</div>

<style>
  .box {
    position: absolute;
    z-index: 5;
    width: 350px;
    background: var(--surface);
    border: 1px solid var(--action);
    box-shadow: 0 6px 20px var(--shade);
  }
  input {
    width: 100%;
    height: 34px;
    padding: 0 10px;
    color: var(--ink);
    font-size: 14px;
    background: var(--surface);
    border: 0;
    border-bottom: 1px solid var(--rule);
    box-sizing: border-box;
  }
  ul {
    list-style: none;
  }
  li {
    display: grid;
    grid-template-columns: 16px 52px 1fr;
    gap: 8px;
    align-items: center;
    padding: 6px 10px;
    cursor: pointer;
  }
  li[aria-selected='true'] {
    background: var(--action-ground);
  }
  span {
    overflow: hidden;
    color: var(--ink-soft);
    font-size: 12.5px;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .none {
    display: block;
    color: var(--ink-soft);
  }
</style>
