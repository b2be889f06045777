<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';

  let {
    label,
    value,
    tags,
    onchange
  }: { label: string; value: string[]; tags: string[]; onchange: (value: string[]) => void } = $props();
  const id = $props.id();

  // What is typed is kept as typed, so that a comma at the end does not vanish while the next tag is begun.
  // svelte-ignore state_referenced_locally
  let typed = $state(value.join(', '));
  const read = (text: string): string[] => [
    ...new Set(
      text
        .split(',')
        .map((t) => t.trim())
        .filter(Boolean)
    )
  ];
  const made = $derived(read(typed).filter((t) => !tags.includes(t)));

  $effect(() => {
    // An undo from elsewhere shows here too.
    if (read(typed).join('\n') !== value.join('\n')) typed = value.join(', ');
  });

  function input(event: unknown): void {
    typed = String((event as CustomEvent<string | null>).detail ?? '');
    onchange(read(typed));
  }
</script>

<TextInput
  size="sm"
  labelText={label}
  placeholder="a tag, or several with commas"
  list="tags-{id}"
  autocomplete="off"
  value={typed}
  on:input={input}
  helperText={made.length ? `New here: ${made.join(', ')}. Made when it is first put on.` : ''}
/>
<datalist id="tags-{id}"
  >{#each tags as t (t)}<option value={t}></option>{/each}</datalist
>
