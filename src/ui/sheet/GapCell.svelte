<!-- A gap of the sheet: the wait between two cards as text, and the input that sets it. -->
<script lang="ts">
  import type { Gap } from '$core/sheet/layout.ts';

  interface Props {
    gap: Gap;
    words: string;
    id: string;
    /** What is read out of it. */
    spoken: string;
    /** Nothing can be put in here: a gap without a wait does not show. */
    quiet: boolean;
    selected: boolean;
    /** `null` while it is not being edited; otherwise what is wrong with the text, if anything. */
    problem: string | null;
    text: string;
    onselect: () => void;
    onedit: () => void;
    oninsert: () => void;
    oncommit: () => void;
    onleave: () => void;
    onblur: () => void;
  }
  let {
    gap,
    words,
    id,
    spoken,
    quiet,
    selected,
    problem,
    text = $bindable(),
    onselect,
    onedit,
    oninsert,
    oncommit,
    onleave,
    onblur
  }: Props = $props();
</script>

<div
  class="gap"
  class:quiet
  role="gridcell"
  {id}
  aria-selected={selected}
  aria-label={spoken}
  style="left: {gap.x1}px; top: {gap.y - 16}px; width: {gap.x2 - gap.x1}px"
>
  {#if problem !== null}
    <input
      class="gap-input"
      aria-label="Wait: a length such as 2d, the day to reach such as =day 5, or an instant such as fri 16:00"
      aria-invalid={problem !== ''}
      bind:value={text}
      onkeydown={(e) => {
        e.stopPropagation();
        if (e.key === 'Enter') oncommit();
        else if (e.key === 'Escape') onleave();
      }}
      {onblur}
    />
    {#if problem}<span class="gap-problem" role="alert">{problem}</span>{/if}
  {:else}
    <button
      tabindex="-1"
      class="caret"
      class:selected
      class:wide={gap.waits.length > 0}
      aria-label={gap.waits.length ? `Wait ${words}` : 'Gap'}
      onclick={() => (gap.waits.length && selected ? onedit() : onselect())}
      ondblclick={oninsert}
    >
      {#if gap.waits.length}{words}{:else}<i aria-hidden="true"></i>{/if}
    </button>
  {/if}
</div>

<style>
  .gap {
    position: absolute;
    display: grid;
    place-items: center;
    height: 32px;
  }
  .caret {
    min-width: 14px;
    max-width: 100%;
    height: 20px;
    padding: 0 5px;
    overflow: hidden;
    color: var(--ink);
    font: inherit;
    font-size: 12.5px;
    line-height: 18px;
    white-space: nowrap;
    background: none;
    border: 1px solid transparent;
    cursor: pointer;
  }
  /* In a gap as narrow as they come it still stands whole. */
  .caret:not(.wide) {
    width: 14px;
    padding: 0 4px;
    box-sizing: border-box;
  }
  .caret.wide {
    background: var(--ground);
  }
  .caret i {
    display: none;
    width: 2px;
    height: 18px;
    background: var(--action);
  }
  .gap:hover .caret i,
  .caret.selected i {
    display: block;
  }
  .gap:hover .caret:not(.wide) {
    background: var(--ground);
  }
  .caret.selected {
    background: var(--ground);
  }
  .caret.wide.selected {
    color: var(--surface);
    background: var(--action);
    border-color: var(--action);
  }
  .quiet .caret:not(.wide) {
    visibility: hidden;
  }
  .gap-input {
    position: absolute;
    left: 50%;
    z-index: 2;
    width: 150px;
    height: 24px;
    margin-left: -75px;
    padding: 0 6px;
    color: var(--ink);
    font-size: 13px;
    text-align: center;
    background: var(--surface);
    border: 2px solid var(--action);
    box-sizing: border-box;
  }
  .gap-problem {
    position: absolute;
    top: 32px;
    left: 50%;
    z-index: 3;
    width: max-content;
    max-width: 280px;
    padding: 4px 8px;
    color: var(--failure);
    font-size: 12.5px;
    background: var(--failure-ground);
    border: 1px solid var(--failure);
    transform: translateX(-50%);
  }
</style>
