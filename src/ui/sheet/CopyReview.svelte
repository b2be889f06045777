<script lang="ts">
  import { tick } from 'svelte';
  import type { Carried } from '$core/edit/carried.ts';
  import { namingOf } from '$core/tell/read-through.ts';
  import type { Editor } from './editor.svelte.ts';

  let { editor, items }: { editor: Editor; items: Carried[] } = $props();
  const title = $derived(namingOf(editor.document));
  let list: HTMLDivElement;

  /** The row at a place, or the last one; where none is left the sheet takes the keys. */
  async function focusRow(place: number): Promise<void> {
    await tick();
    const rows = list?.isConnected ? [...list.querySelectorAll<HTMLElement>('[data-right]')] : [];
    const row = rows[Math.min(place, rows.length - 1)];
    if (row) row.focus();
    else editor.focusSheet++;
  }

  function right(place: number, ...what: Carried[]): void {
    editor.approve(...what);
    void focusRow(place);
  }

  function change(item: Carried): void {
    editor.selection = { at: 'card', key: item.key };
    editor.focusPanel++;
  }

  function onkeydown(event: KeyboardEvent, item: Carried, place: number): void {
    const act = {
      y: () => right(place, item),
      n: () => change(item),
      ArrowDown: () => void focusRow(place + 1),
      ArrowUp: () => void focusRow(Math.max(0, place - 1))
    }[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  }
</script>

<p class="soft">
  These are as in the original. Is each right here? <kbd>y</kbd> yes, <kbd>n</kbd> change it.
  <button class="act" onclick={() => right(0, ...items)}>All are right</button>
</p>
<div bind:this={list}>
  {#each items as item, i (item.id)}
    <!-- svelte-ignore a11y_no_static_element_interactions (keys for the buttons inside) -->
    <div class="row" onkeydown={(e) => onkeydown(e, item, i)}>
      <span class="title">{title(item.key)}</span>
      <span class="soft">{item.what}</span>
      <span class="value" title={item.value}
        >{item.value}{#if item.outside}<strong>, not part of the copy</strong>{/if}</span
      >
      <button class="act" data-right aria-label="{item.what} {item.value}: right" onclick={() => right(i, item)}
        >Right</button
      >
      <button class="act" aria-label="{item.what} {item.value}: change" onclick={() => change(item)}>Change</button>
    </div>
  {/each}
</div>

<style>
  p {
    padding: 2px 4px 4px;
    font-size: 13px;
  }
  .row {
    display: grid;
    grid-template-columns: 150px 130px 1fr auto auto;
    gap: 12px;
    padding: 3px 4px;
    font-size: 13.5px;
    border-top: 1px solid var(--rule-soft);
  }
  .row:focus-within {
    background: var(--action-ground);
  }
  span {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .title {
    font-weight: 650;
  }
  strong {
    color: var(--attention);
    font-weight: 400;
  }
  kbd {
    padding: 0 4px;
    font: inherit;
    font-size: 12.5px;
    background: var(--ground);
    border: 1px solid var(--rule);
  }
</style>
