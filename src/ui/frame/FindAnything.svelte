<script lang="ts">
  import { goto } from '$app/navigation';
  import { onMount } from 'svelte';
  import { tinykeys } from 'tinykeys';
  import type { Found } from '$server/results/find.ts';
  import { send } from '$ui/api.ts';

  let input: HTMLInputElement;
  let text = $state('');
  let found = $state<Found[]>([]);
  let at = $state(0);
  let open = $state(false);
  let asked = 0;
  /** What the list shows was found for these words. */
  let foundFor = '';

  const NAMES = { journey: 'Journey', step: 'Step', person: 'Person', tag: 'Tag' };

  async function search(): Promise<void> {
    const mine = ++asked;
    const words = text;
    if (!text.trim()) {
      found = [];
      return;
    }
    const answer = await send<{ found: Found[] }>('GET', `/api/find?q=${encodeURIComponent(text)}`);
    if (mine !== asked) return;
    found = answer.ok ? answer.data.found : [];
    foundFor = words;
    at = 0;
    open = true;
  }

  async function choose(item: Found | undefined): Promise<void> {
    if (!item) return;
    open = false;
    text = '';
    input.blur();
    await goto(item.href);
  }

  /** Goes to what is chosen. Pressed faster than the answer comes, it waits for that: never to what earlier letters found. */
  async function enter(): Promise<void> {
    if (foundFor !== text) await search();
    await choose(found[at]);
  }

  function onkeydown(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter') void enter();
    else if (event.key === 'Escape') {
      open = false;
      input.blur();
    } else return;
    event.preventDefault();
  }

  onMount(() =>
    tinykeys(window, {
      '$mod+k': (event) => {
        event.preventDefault();
        input.focus();
        input.select();
      }
    })
  );
</script>

<div class="find" role="search">
  <input
    bind:this={input}
    bind:value={text}
    oninput={() => void search()}
    {onkeydown}
    onblur={() => (open = false)}
    type="text"
    placeholder="Find anything"
    aria-label="Find anything: journeys, steps, people, tags"
    role="combobox"
    aria-expanded={open && found.length > 0}
    aria-controls="found"
    aria-activedescendant={open && found.length ? `found-${at}` : undefined}
    autocomplete="off"
  />
  <kbd aria-hidden="true">Ctrl K</kbd>
  {#if open && text.trim()}
    <ul id="found" role="listbox" aria-label="Found">
      {#each found as item, i (item.href + item.title)}
        <!-- svelte-ignore a11y_click_events_have_key_events (the keys are the input's) -->
        <li
          id="found-{i}"
          role="option"
          aria-selected={i === at}
          onmousedown={(e) => e.preventDefault()}
          onclick={() => void choose(item)}
        >
          <strong>{item.title}</strong><span>{item.detail}</span><em>{NAMES[item.kind]}</em>
        </li>
      {:else}
        <li role="option" aria-selected="false" class="none">Nothing has “{text}” in its name.</li>
      {/each}
    </ul>
  {/if}
</div>

<style>
  .find {
    position: relative;
    width: 190px;
  }
  input {
    width: 100%;
    height: 32px;
    padding: 0 60px 0 10px;
    color: var(--ink);
    font-size: 14px;
    background: var(--surface);
    border: 1px solid var(--rule-dark);
    box-sizing: border-box;
  }
  input::placeholder {
    color: var(--ink-soft);
  }
  kbd {
    position: absolute;
    top: 7px;
    right: 9px;
    color: var(--ink-soft);
    font: inherit;
    pointer-events: none;
  }
  ul {
    position: absolute;
    top: 34px;
    right: 0;
    z-index: 9;
    width: 420px;
    list-style: none;
    background: var(--surface);
    border: 1px solid var(--rule);
    box-shadow: 0 6px 20px var(--shade);
  }
  li {
    display: flex;
    gap: 8px;
    align-items: baseline;
    padding: 7px 12px;
    cursor: pointer;
  }
  li[aria-selected='true'] {
    background: var(--action-ground);
  }
  li span {
    flex: 1;
    overflow: hidden;
    color: var(--ink-soft);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  li em {
    color: var(--ink-soft);
    font-size: 12px;
    font-style: normal;
  }
  .none {
    color: var(--ink-soft);
    cursor: default;
  }
</style>
