<!-- A person's fields: each is changed where it stands, and tells what it was before, since when, by whom or what. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button, TextInput } from 'carbon-components-svelte';
  import type { FieldType, FieldValue } from '$core/person/values.ts';
  import type { FactChange } from '$server/people/by-hand.ts';
  import { fieldText } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
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
  const typeOf = (name: string): FieldType => types[name]?.type ?? 'text';
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
    ...(typeOf(name) === 'yesno' ? ['yes', 'no'] : (types[name]?.options ?? [])).map((o): [string, string] => [o, o])
  ];
</script>

<dl>
  {#each facts as [name, value] (name)}
    <dt>{name.replace(/_/g, ' ')}</dt>
    <dd>
      <button
        class="value"
        aria-expanded={open === name}
        aria-label="{name.replace(/_/g, ' ')}: {typed(name, value) || 'none'}. Change it, or see its history"
        onclick={() => (open = open === name ? null : name)}
        >{#if value === null || value === ''}<span class="soft">none</span>{:else}{shownAs(name, value)}{/if}</button
      >
    </dd>
    {#if open === name}
      <div class="open">
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
          {#if typeOf(name) === 'yesno' || (typeOf(name) === 'choice' && types[name]?.options.length)}
            <Pick label="New value of {name}" name="value" options={choices(name)} value={typed(name, value)} />
          {:else}
            <TextInput size="sm" hideLabel labelText="New value of {name}" name="value" value={typed(name, value)} />
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
      </div>
    {/if}
  {/each}
</dl>

<style>
  dl {
    display: grid;
    grid-template-columns: 84px 1fr;
    gap: 3px 8px;
  }
  dt {
    color: var(--ink-soft);
    overflow-wrap: anywhere;
  }
  .value {
    padding: 0;
    color: inherit;
    font: inherit;
    text-align: left;
    overflow-wrap: anywhere;
    background: none;
    border: 0;
    cursor: pointer;
  }
  .value:hover {
    color: var(--action);
    text-decoration: underline;
  }
  .open {
    grid-column: 1 / -1;
    margin: 2px 0 8px;
    padding: 8px 10px;
    background: var(--surface-2);
    border: 1px solid var(--rule);
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
