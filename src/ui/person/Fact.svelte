<!-- One fact of a list of them: what it is, pressed to see its history and to change it, which stands below. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    name: string;
    /** Said of the button: what it is and that it can be changed. */
    label: string;
    open: boolean;
    ontoggle: () => void;
    /** The value as shown. */
    value: Snippet;
    /** Below the value. */
    note?: Snippet;
    /** What opens. */
    children: Snippet;
  }
  let { name, label, open, ontoggle, value, note, children }: Props = $props();
</script>

<dt>{name}</dt>
<dd>
  <button aria-expanded={open} aria-label={label} onclick={ontoggle}>{@render value()}</button>
  {@render note?.()}
</dd>
{#if open}<div>{@render children()}</div>{/if}

<style>
  dt {
    color: var(--ink-soft);
    overflow-wrap: anywhere;
  }
  button {
    padding: 0;
    color: inherit;
    font: inherit;
    text-align: left;
    overflow-wrap: anywhere;
    background: none;
    border: 0;
    cursor: pointer;
  }
  button:hover {
    color: var(--action);
    text-decoration: underline;
  }
  div {
    grid-column: 1 / -1;
    margin: 2px 0 8px;
    padding: 8px 10px;
    font-size: 13px;
    background: var(--surface-2);
    border: 1px solid var(--rule);
  }
</style>
