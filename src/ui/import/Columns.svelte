<!-- The columns of a file, one a row: what stands in them, what they are taken as, and how their values are read. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { FieldType } from '$core/person/values.ts';
  import type { Opened } from '$server/imports/imports.ts';
  import type { ColumnPlan, ImportPlan, Target } from '$server/imports/plan.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { TYPES, typeWords } from '$ui/names/types.ts';
  import { plural } from '$core/tell/words.ts';

  interface Props {
    opened: Opened;
    columns: ImportPlan['columns'];
    /** Fields there are, with their declared types. */
    fields: readonly { name: string; type: FieldType | null }[];
    leftOut: readonly { column: string; count: number; example: string }[];
    onchange: (i: number, change: Partial<ColumnPlan>) => void;
  }
  let { opened, columns, fields, leftOut, onchange }: Props = $props();

  const OWN: readonly (readonly [Target, string])[] = [
    ['email', 'email address'],
    ['phone', 'phone number'],
    ['first_name', 'first name'],
    ['last_name', 'last name'],
    ['zone', 'time zone'],
    ['tags', 'tags, with ;'],
    ['lists', 'lists, with ;'],
    ['consent_email', 'consent for email'],
    ['consent_sms', 'consent for text']
  ];
  const fieldOf = (target: string): string | null => (target.startsWith('field:') ? target.slice(6) : null);
  const declared = (target: string): FieldType | null => fields.find((f) => f.name === fieldOf(target))?.type ?? null;
  const isNew = (target: string): boolean => {
    const name = fieldOf(target);
    return name !== null && !fields.some((f) => f.name === name);
  };
  function choicesFor(i: number): [Target, string, boolean?][] {
    const own = columns[i]?.target;
    const taken = new Set(columns.flatMap((c, n) => (n === i ? [] : [c.target])));
    const named = [...new Set([opened.plan.columns[i]?.target ?? '', ...fields.map((f) => `field:${f.name}`)])].filter(
      (t): t is `field:${string}` => t.startsWith('field:') && !OWN.some(([o]) => `field:${o}` === t)
    );
    return [
      ...OWN.map(([t, words]): [Target, string, boolean?] => [t, words, taken.has(t) && t !== own]),
      ...named.map((t): [Target, string, boolean?] => [
        t,
        `${t.slice(6)} · ${isNew(t) ? 'new field' : 'field'}`,
        taken.has(t) && t !== own
      ]),
      ['ignore', 'leave out']
    ];
  }
  function take(i: number, target: Target): void {
    const type = target.startsWith('field:') ? (declared(target) ?? columns[i]?.type ?? 'text') : undefined;
    onchange(i, { target, type });
  }
  /** What a new field may be is what stands in the file, until somebody says otherwise. */
  function retype(i: number, type: FieldType): void {
    const found = isChoice(type) ? (opened.profiles[i]?.options[type] ?? []) : [];
    onchange(i, { type, options: found.length ? found : undefined });
  }
  const isChoice = (type: FieldType | undefined): type is 'choice' | 'choices' =>
    type === 'choice' || type === 'choices';
  const optionsOf = (text: string): string[] | undefined => {
    const named = [
      ...new Set(
        text
          .split(';')
          .map((o) => o.trim())
          .filter(Boolean)
      )
    ];
    return named.length ? named : undefined;
  };
  const made = $derived(columns.flatMap((c) => (isNew(c.target) ? [c.target.slice(6)] : [])));
  const reads = (c: ColumnPlan, type: 'dates' | 'decimal'): boolean =>
    c.target.startsWith('field:') &&
    (type === 'dates' ? c.type === 'date' || c.type === 'instant' : c.type === 'number');
</script>

<table class="figures">
  <thead>
    <tr
      ><th scope="col">Column</th><th scope="col">First values</th><th scope="col">Is</th><th scope="col">Of type</th
      ></tr
    >
  </thead>
  <tbody>
    {#each opened.header as name, i (name)}
      {@const column = columns[i] ?? { target: 'ignore' as const }}
      {@const profile = opened.profiles[i]}
      {@const left = leftOut.find((l) => l.column === name)}
      <tr class:left={column.target === 'ignore'}>
        <td class="name" title={name}>{name || '(no name)'}</td>
        <td class="values" title={profile?.samples.join('\n')}>
          {#if profile?.filled}{profile.samples.join(' · ')}{:else}<span class="soft">all empty</span>{/if}
        </td>
        <td>
          <Pick label="{name} is" options={choicesFor(i)} value={column.target} onchange={(to) => take(i, to)} />
        </td>
        <td>
          {#if column.target.startsWith('field:')}
            <div class="type">
              {#if declared(column.target)}
                <span class="soft">{typeWords(column.type ?? null)}</span>
              {:else}
                <Pick
                  label="Type of {name}"
                  options={TYPES}
                  value={column.type ?? 'text'}
                  onchange={(type) => retype(i, type)}
                />
              {/if}
              {#if reads(column, 'dates')}
                <Pick
                  label="Dates of {name}"
                  options={[
                    ...(column.dates ? [] : [['', 'day or month first?'] as const]),
                    ['day first', 'day first'],
                    ['month first', 'month first']
                  ]}
                  value={column.dates ?? ''}
                  onchange={(dates) => onchange(i, { dates: dates || undefined })}
                />
              {:else if reads(column, 'decimal')}
                <Pick
                  label="Decimals of {name}"
                  options={[
                    ...(column.decimal ? [] : [['', 'point or comma?'] as const]),
                    ['.', 'point'],
                    [',', 'comma']
                  ]}
                  value={column.decimal ?? ''}
                  onchange={(decimal) => onchange(i, { decimal: decimal || undefined })}
                />
              {/if}
              {#if isChoice(column.type) && !declared(column.target)}
                <div class="may">
                  <TextInput
                    size="sm"
                    hideLabel
                    labelText="What {name} may be, with ;"
                    title="What it may be, with ; between; empty: anything"
                    placeholder="may be anything"
                    value={(column.options ?? []).join('; ')}
                    on:change={(e) => onchange(i, { options: optionsOf(String(e.detail ?? '')) })}
                  />
                </div>
              {/if}
            </div>
            {#if left}<small class="misfit"
                >{plural(left.count, 'value does', 'values do')} not fit, like “{left.example}”</small
              >{/if}
          {/if}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
{#if made.length}
  <p class="misfit">
    {plural(made.length, 'field is', 'fields are')} new and made by this file: {made.join(', ')}.
  </p>
{/if}

<style>
  table {
    width: 100%;
    table-layout: fixed;
  }
  thead th:nth-child(1) {
    width: 17%;
  }
  thead th:nth-child(2) {
    width: 23%;
  }
  thead th:nth-child(3) {
    width: 27%;
  }
  td {
    padding-block: 3px;
    vertical-align: middle;
  }
  .name {
    font-weight: 600;
  }
  .name,
  .values {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .values {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .left .name,
  .left .values {
    color: var(--rule-field);
    text-decoration: line-through;
  }
  td :global(.bx--select-input) {
    height: 28px;
    padding-inline: 8px 26px;
    text-overflow: ellipsis;
  }
  td :global(.bx--select__arrow) {
    right: 6px;
  }
  .type {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
    align-items: center;
  }
  .may {
    grid-column: 1 / -1;
  }
  .misfit {
    color: var(--attention);
  }
  p {
    margin-top: 8px;
  }
</style>
