<!-- A comparison: how, and with what. What is half typed is kept in the box, and taken once it can be read. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { untrack } from 'svelte';
  import type { Comparison } from '$core/condition/comparison.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { compared, comparedText, comparisonOf, freshComparison, typedAs, type Compared } from './condition.ts';
  import { inputText } from './panels/panel.ts';

  interface Props {
    comparison: object;
    options: readonly (readonly [Compared, string, string])[];
    onchange: (comparison: Comparison) => void;
  }
  let { comparison, options, onchange }: Props = $props();

  const by = $derived(comparisonOf(comparison) ?? 'is');
  const kind = $derived(typedAs(by));
  // svelte-ignore state_referenced_locally
  let typed = $state(comparedText(comparison, by));
  const bad = $derived(kind !== 'none' && compared(by, typed) === null);
  const HINT = {
    value: 'value',
    text: 'text',
    number: 'a number',
    date: '2027-03-01',
    length: '30d',
    list: 'several, with commas',
    none: ''
  } as const;

  $effect(() => {
    // Undo shows here too; what means the same is left as it is typed.
    const [to, how] = [comparison, by];
    untrack(() => {
      const now = JSON.stringify(compared(how, typed));
      const { [how === 'empty' ? 'set' : how]: value } = to as Record<string, unknown>;
      if (now !== null && now !== JSON.stringify({ [how === 'empty' ? 'set' : how]: value }))
        typed = comparedText(to, how);
    });
  });
  function input(text: string): void {
    typed = text;
    const read = compared(by, text);
    if (read) onchange(read);
  }
</script>

<div class:two={kind !== 'none'}>
  <Pick
    label="Comparison"
    options={options.map(([value, words]) => [value, words] as const)}
    value={by}
    onchange={(to) => onchange(freshComparison(to, typed, new Date().toISOString().slice(0, 10)))}
  />
  {#if kind !== 'none'}
    <TextInput
      size="sm"
      hideLabel
      labelText="Value"
      placeholder={HINT[kind]}
      value={typed}
      invalid={bad && typed !== ''}
      on:input={(e) => input(inputText(e))}
    />
  {/if}
</div>

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
  }
</style>
