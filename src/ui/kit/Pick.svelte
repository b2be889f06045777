<!-- One of a few, from a list that opens: Carbon's select, small, in our words. -->
<script lang="ts" generics="T extends string">
  import { Select, SelectItem } from 'carbon-components-svelte';

  interface Props {
    /** What is chosen here; read out only, unless it is `shown`. */
    label: string;
    shown?: boolean;
    /** Value, words, and whether it cannot be chosen now. */
    options: readonly (readonly [value: T, words: string, disabled?: boolean])[];
    value: T;
    /** Of the field, in a form that is sent. */
    name?: string;
    /** `form` is the one it stands in. */
    onchange?: (value: T, form: HTMLFormElement | null) => void;
  }
  let { label, shown = false, options, value, name, onchange }: Props = $props();

  function change(event: Event): void {
    const { value: chosen, form } = event.target as HTMLSelectElement;
    const found = options.find(([v]) => v === chosen);
    if (found) onchange?.(found[0], form);
  }
</script>

<Select size="sm" labelText={label} hideLabel={!shown} {name} selected={value} on:change={change}>
  {#each options as [v, words, disabled = false] (v)}<SelectItem value={v} text={words} {disabled} />{/each}
</Select>
