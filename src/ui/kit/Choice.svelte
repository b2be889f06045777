<!-- One of a few: a row of buttons of which one is pressed. -->
<script lang="ts" generics="T extends string">
  interface Props {
    /** What is chosen here, for screen readers. */
    label: string;
    options: readonly (readonly [T, string])[];
    chosen: T;
  }
  let { label, options, chosen = $bindable() }: Props = $props();
</script>

<div role="group" aria-label={label}>
  {#each options as [value, words] (value)}
    <button type="button" aria-pressed={chosen === value} onclick={() => (chosen = value)}>{words}</button>
  {/each}
</div>

<style>
  div {
    display: inline-flex;
    border: 1px solid var(--rule-strong);
  }
  button {
    height: 30px;
    padding: 0 12px;
    color: var(--ink-soft);
    font-size: 13.5px;
    background: var(--surface);
    border: 0;
    cursor: pointer;
  }
  button + button {
    border-left: 1px solid var(--rule-strong);
  }
  button[aria-pressed='true'] {
    color: var(--action);
    font-weight: 650;
    background: var(--action-ground);
  }
</style>
