<script lang="ts" generics="T extends string">
  import ArrowDown from 'carbon-icons-svelte/lib/ArrowDown.svelte';
  import ArrowUp from 'carbon-icons-svelte/lib/ArrowUp.svelte';

  let {
    name,
    column,
    sort = $bindable(),
    figure = false
  }: { name: string; column: T; sort: { by: T | null; down: boolean }; figure?: boolean } = $props();
  const mine = $derived(sort.by === column);
  const direction = $derived(mine ? (sort.down ? 'descending' : 'ascending') : undefined);

  /** Figures are looked at from the largest, words from the first. */
  function turn(): void {
    sort = mine ? { by: column, down: !sort.down } : { by: column, down: figure };
  }
</script>

<th scope="col" class:number={figure} aria-sort={direction}>
  <button onclick={turn}>
    {name}{#if mine}{#if sort.down}<ArrowDown size={16} aria-hidden="true" />{:else}<ArrowUp
          size={16}
          aria-hidden="true"
        />{/if}{/if}
  </button>
</th>

<style>
  button {
    padding: 0;
    color: inherit;
    font: inherit;
    text-align: inherit;
    background: none;
    border: 0;
    cursor: pointer;
  }
  button:hover {
    color: var(--action);
  }
  button :global(svg) {
    vertical-align: -3px;
  }
</style>
