<!-- A text that may be one of the known ones: they are offered as it is typed, others are taken as they are. -->
<script lang="ts">
  import { ComboBox } from 'carbon-components-svelte';
  import { untrack } from 'svelte';

  interface Props {
    label: string;
    shown?: boolean;
    /** Known texts, in the order in which they are offered. */
    known: readonly string[];
    value: string;
    placeholder?: string;
    /** Of the field, in a form that is sent. */
    name?: string;
    /** Called as it is typed, and when one is chosen. */
    onchange?: (value: string) => void;
  }
  let { label, shown = false, known, value, placeholder = '', name, onchange }: Props = $props();

  // What is typed is kept as typed: whoever takes it may trim it.
  // svelte-ignore state_referenced_locally
  let typed = $state(value);
  let open = $state(false);
  let box: HTMLDivElement;

  /** Escape would empty Carbon's box, and nothing around it would hear of it: it closes the list and means what it means everywhere. */
  function leave(event: KeyboardEvent): void {
    if (event.key !== 'Escape') return;
    event.stopPropagation();
    open = false;
    box.parentElement?.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }));
  }
  const items = $derived(known.map((text) => ({ id: text, text })));
  const selectedId = $derived(known.includes(typed) ? typed : undefined);

  $effect(() => {
    // Undo and a reload show here too.
    if (value !== untrack(() => typed.trim())) typed = value;
  });
  $effect(() => {
    const text = typed;
    if (text !== untrack(() => value)) untrack(() => onchange?.(text));
  });
</script>

<div bind:this={box} onkeydowncapture={leave}>
  <ComboBox
    size="sm"
    labelText={label}
    hideLabel={!shown}
    {placeholder}
    {name}
    {items}
    {selectedId}
    bind:value={typed}
    bind:open
    allowCustomValue
    portalMenu
    autocomplete="off"
    shouldFilterItem={(item, text) => item.text.toLowerCase().includes(text.trim().toLowerCase())}
  />
</div>
