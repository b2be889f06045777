<!-- A box to search what stands below it. -->
<script lang="ts">
  import { Search } from 'carbon-components-svelte';

  interface Props {
    /** What is searched, for screen readers. */
    label: string;
    placeholder: string;
    value: string;
    oninput?: (text: string) => void;
  }
  let { label, placeholder, value = $bindable(), oninput }: Props = $props();

  const typed = (text: string): void => {
    if (text === value) return;
    value = text;
    oninput?.(text);
  };
</script>

<div>
  <Search
    size="sm"
    labelText={label}
    {placeholder}
    {value}
    on:input={(e) => typed((e.target as HTMLInputElement).value)}
    on:clear={() => typed('')}
  />
</div>

<style>
  div {
    flex: none;
    width: 240px;
  }
</style>
