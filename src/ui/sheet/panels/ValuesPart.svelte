<!-- Values of a field: a lane for each, made in one act from the values that people have; anything else has a lane always. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { withValues, type Values } from '$core/edit/branch-by.ts';
  import { plural } from '$core/tell/words.ts';
  import { send } from '$ui/api.ts';
  import Suggest from '$ui/kit/Suggest.svelte';
  import LanePart from './LanePart.svelte';
  import { inputText, type Nameable } from './panel.ts';

  interface Props {
    step: Values;
    known: Nameable;
    onchange: (step: Values, field: string) => void;
    onrename: (place: number, label: string) => void;
  }
  let { step, known, onchange, onrename }: Props = $props();

  type Found = { value: string | number | boolean; people: number }[];
  let found = $state<Found | null>(null);
  let problem = $state('');
  const field = $derived(step.of.field);

  // Which values people have, whenever another field is looked at.
  $effect(() => {
    const name = field;
    found = null;
    let left = false;
    void send<{ values: Found }>('GET', `/api/fields/${encodeURIComponent(name)}/values`).then((answer) => {
      if (left) return;
      problem = answer.ok ? '' : answer.message;
      found = answer.ok ? answer.data.values : null;
    });
    return () => (left = true);
  });
  const people = (values: Values['lanes'][number]['values']): number | null =>
    found && values.reduce<number>((n, v) => n + (found?.find((f) => f.value === v)?.people ?? 0), 0);

  /** As typed, each of the type that the values have which people have. */
  function read(typed: string): Values['lanes'][number]['values'] {
    return typed
      .split(',')
      .map((v) => v.trim())
      .filter(Boolean)
      .map((v) => found?.find((f) => String(f.value) === v)?.value ?? v);
  }
  function setValues(place: number, typed: string): void {
    const values = read(typed);
    if (values.length)
      onchange({ ...step, lanes: step.lanes.map((l, i) => (i === place ? { ...l, values } : l)) }, `${place}`);
  }
  const fresh = $derived(found?.filter((f) => !step.lanes.some((l) => l.values.includes(f.value))) ?? []);
</script>

<Suggest
  shown
  label="Field"
  known={known.fields}
  value={field}
  onchange={(name) => name.trim() && onchange({ ...step, of: { field: name.trim() } }, 'field')}
/>
{#if problem}<p class="hint" role="alert">{problem}</p>{/if}
{#if found?.length}
  <button class="act add" onclick={() => onchange(withValues(step, found?.map((f) => f.value) ?? []), 'values')}
    >A lane for each of its {plural(found.length, 'value', 'values')}</button
  >
{:else if found}<p class="hint">Nobody has a value of this field yet.</p>{/if}
{#each step.lanes as lane, place (place)}
  {@const count = people(lane.values)}
  <LanePart
    called="Lane {place + 1}"
    label={lane.label}
    onrename={(label) => onrename(place, label)}
    remove={step.lanes.length > 1
      ? {
          steps: lane.lane.length,
          lane: () => onchange({ ...step, lanes: step.lanes.filter((_, i) => i !== place) }, 'remove')
        }
      : undefined}
  >
    <TextInput
      size="sm"
      labelText="takes those with (commas)"
      value={lane.values.join(', ')}
      helperText={count === null ? '' : plural(count, 'person has it', 'people have it')}
      on:change={(e) => setValues(place, inputText(e))}
    />
  </LanePart>
{/each}
{#if fresh[0]}
  {@const next = fresh[0]}
  <button
    class="act add"
    onclick={() =>
      onchange(
        { ...step, lanes: [...step.lanes, { label: String(next.value), values: [next.value], lane: [] }] },
        'add'
      )}>Add a lane for {String(next.value)}</button
  >
{:else}
  <button
    class="act add"
    onclick={() =>
      onchange(
        {
          ...step,
          lanes: [
            ...step.lanes,
            { label: `value ${step.lanes.length + 1}`, values: [`value ${step.lanes.length + 1}`], lane: [] }
          ]
        },
        'add'
      )}>Add a lane</button
  >
{/if}
<LanePart
  called="Anything else, or no value"
  label={step.otherwise.label}
  onrename={(label) => onrename(step.lanes.length, label)}
/>

<style>
  .add {
    margin-bottom: 12px;
  }
</style>
