<!-- A person's fields: each is changed where it stands, and tells what it was before, since when, by whom or what. -->
<script lang="ts">
  import { own } from '$core/own.ts';
  import { enhance } from '$app/forms';
  import { Button, TextInput } from 'carbon-components-svelte';
  import type { FieldType, FieldValue } from '$core/person/values.ts';
  import type { FactChange } from '$server/people/by-hand.ts';
  import { fieldText } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
  import Fact from './Fact.svelte';
  import Pick from '$ui/kit/Pick.svelte';

  interface Props {
    /** By name, in the order in which they are shown. */
    facts: [name: string, value: FieldValue | null][];
    types: Record<string, { type: FieldType; options: string[] }>;
    history: FactChange[];
    /** What they came with, and when; `null`: not by an import. */
    cameWith: { name: string; id: number; at: number } | null;
  }
  let { facts, types, history, cameWith }: Props = $props();
  const format = useFormat();
  let open = $state<string | null>(null);
  const typeOf = (name: string): FieldType => own(types, name)?.type ?? 'text';
  const past = $derived(open === null ? [] : history.filter((h) => h.field === open));
  const typed = (name: string, value: FieldValue | null): string =>
    value === null ? '' : typeOf(name) === 'yesno' ? (value === true ? 'yes' : 'no') : fieldText(value);
  /** Instants as the workspace's clock says them. */
  const shownAs = (name: string, value: FieldValue): string => {
    const at = typeOf(name) === 'instant' ? Date.parse(String(value)) : NaN;
    return Number.isNaN(at) ? fieldText(value) : format.dateTime(at);
  };
  const choices = (name: string): [string, string][] => [
    ['', 'none'],
    ...(typeOf(name) === 'yesno' ? ['yes', 'no'] : (own(types, name)?.options ?? [])).map((o): [string, string] => [
      o,
      o
    ])
  ];
</script>

<dl>
  {#each facts as [name, known] (name)}
    <Fact
      name={name.replace(/_/g, ' ')}
      label="{name.replace(/_/g, ' ')}: {typed(name, known) || 'none'}. Change it, or see its history"
      open={open === name}
      ontoggle={() => (open = open === name ? null : name)}
    >
      {#snippet value()}
        {#if known === null || known === ''}<span class="soft">none</span>{:else}{shownAs(name, known)}{/if}
      {/snippet}
      <form
        method="post"
        action="?/field"
        use:enhance={() =>
          async ({ update, result }) => {
            await update({ reset: false });
            if (result.type === 'success') open = null;
          }}
      >
        <input type="hidden" name="name" value={name} />
        {#if typeOf(name) === 'yesno' || (typeOf(name) === 'choice' && own(types, name)?.options.length)}
          <Pick label="New value of {name}" name="value" options={choices(name)} value={typed(name, known)} />
        {:else}
          <TextInput size="sm" hideLabel labelText="New value of {name}" name="value" value={typed(name, known)} />
        {/if}
        <Button size="small" kind="tertiary" type="submit">Save</Button>
      </form>
      <ul aria-label="History of {name}">
        {#each past as h, i (i)}
          <li>
            <strong>{h.to === null ? 'cleared' : shownAs(h.field, h.to)}</strong>
            <small>{format.dateTime(h.at)}, by {h.by}</small>
          </li>
        {/each}
        {#if cameWith}<li><small>came with {cameWith.name}, {format.date(cameWith.at)}</small></li>
        {:else if !past.length}<li class="soft">It was not changed since they are known.</li>{/if}
      </ul>
    </Fact>
  {/each}
</dl>

<style>
  dl {
    display: grid;
    grid-template-columns: 84px 1fr;
    gap: 3px 8px;
  }
  form {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
    align-items: center;
  }
  ul {
    margin: 6px 0 0;
    padding: 0;
    font-size: 13px;
    list-style: none;
  }
  small {
    display: block;
    color: var(--ink-soft);
  }
</style>
