<!-- What one question of a condition asks: the message and the act, the tag, the field and its value. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { MESSAGE_HAPPENINGS } from '$core/condition/happening.ts';
  import type { Condition } from '$core/condition/schema.ts';
  import { kindOf } from '$core/steps/index.ts';
  import { durationShort } from '$core/tell/words.ts';
  import { typedDuration } from '$core/time/duration.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';
  import ComparisonForm from './ComparisonForm.svelte';
  import { askingDid, COMPARISONS, isField, NUMBER_COMPARISONS } from './condition.ts';
  import HappeningForm from './HappeningForm.svelte';
  import { inputText, type Nameable } from './panels/panel.ts';

  interface Props {
    condition: Condition;
    known: Nameable;
    onchange: (condition: Condition) => void;
  }
  let { condition: c, known, onchange }: Props = $props();

  const acts = MESSAGE_HAPPENINGS.map((h) => [h, h] as const);
  const messages = $derived.by(() => {
    const all = known.messages.map((m): [string, string] => [m.key, kindOf(m).card(m).title]);
    const of = 'did' in c ? (c.of ?? '') : '';
    return all.some(([key]) => key === of) ? all : [[of, of || 'choose a message'] as [string, string], ...all];
  });
  /** An absent length asks for all time. */
  function lately(typed: string, take: (last: string | undefined) => Condition): void {
    const last = typedDuration(typed);
    if (last || typed.trim() === '') onchange(take(last ?? undefined));
  }
</script>

{#snippet lastInput(last: string | undefined, take: (last: string | undefined) => Condition)}
  <TextInput
    size="sm"
    labelText="In the last (30d; empty: ever)"
    value={last ? durationShort(last) : ''}
    on:change={(e) => lately(inputText(e), take)}
  />
{/snippet}

{#if 'did' in c && c.of !== undefined}
  {@const asked = c}
  <div class="two">
    <Pick
      label="What they did"
      options={acts}
      value={acts.find(([h]) => h === c.did)?.[0] ?? 'opened'}
      onchange={(did) => onchange(askingDid(asked, did, asked.of))}
    />
    <Pick
      label="Which message"
      options={messages}
      value={c.of ?? ''}
      onchange={(of) => onchange(askingDid(asked, asked.did, of))}
    />
  </div>
  {#if c.did === 'clicked'}
    <TextInput
      size="sm"
      labelText="This link only (empty: any)"
      value={c.link ?? ''}
      on:input={(e) => {
        const { link: _, ...rest } = asked;
        const link = inputText(e).trim();
        onchange(link ? { ...rest, link } : rest);
      }}
    />
  {/if}
{:else if 'did' in c}
  {@const { did, last, since: _s, times: _t, ...filters } = c}
  <HappeningForm
    happening={{ happening: did, ...filters }}
    known={{ ...known, messages: [], tasks: [] }}
    onchange={({ happening, ...rest }) =>
      onchange({ did: happening, ...rest, ...(last === undefined ? {} : { last }) })}
  />
  {@render lastInput(last, (to) => ({ did, ...filters, ...(to === undefined ? {} : { last: to }) }))}
{:else if 'tag' in c}
  <Suggest
    label="Tag"
    placeholder="tag"
    known={known.tags}
    value={c.tag ?? ''}
    onchange={(tag) => onchange({ tag: tag.trim() })}
  />
{:else if 'list' in c}
  <Suggest
    label="List"
    placeholder="list"
    known={known.lists}
    value={c.list ?? ''}
    onchange={(list) => onchange({ list: list.trim() })}
  />
{:else if 'segment' in c}
  <Suggest
    label="Segment"
    placeholder="segment"
    known={known.segments}
    value={c.segment ?? ''}
    onchange={(segment) => onchange({ segment: segment.trim() })}
  />
{:else if isField(c)}
  {@const { field, ...comparison } = c}
  <Suggest
    label="Field"
    placeholder="field"
    known={known.fields}
    value={field}
    onchange={(name) => onchange({ field: name.trim(), ...comparison })}
  />
  <ComparisonForm {comparison} options={COMPARISONS} onchange={(to) => onchange({ field, ...to })} />
{:else if 'score' in c}
  {@const { score, ...comparison } = c}
  <Suggest
    label="Score"
    placeholder="score"
    known={known.scores}
    value={score ?? ''}
    onchange={(name) => onchange({ score: name.trim(), ...comparison } as Condition)}
  />
  <ComparisonForm
    {comparison}
    options={NUMBER_COMPARISONS}
    onchange={(to) => onchange({ score, ...to } as Condition)}
  />
{:else if 'rung' in c}
  <Suggest
    label="Rung"
    placeholder="rung"
    known={known.rungs}
    value={[c.rung].flat().join(', ')}
    onchange={(text) => {
      const rungs = text
        .split(',')
        .map((r) => r.trim())
        .filter(Boolean);
      const [first] = rungs;
      if (first !== undefined) onchange({ rung: rungs.length > 1 ? rungs : first });
    }}
  />
{:else if 'spent' in c}
  {@const { spent, last } = c}
  <ComparisonForm
    comparison={spent}
    options={NUMBER_COMPARISONS}
    onchange={(to) => onchange({ spent: to, ...(last === undefined ? {} : { last }) } as Condition)}
  />
  {@render lastInput(last, (to) => ({ spent, ...(to === undefined ? {} : { last: to }) }))}
{:else if 'orders' in c}
  {@const { orders, last } = c}
  <ComparisonForm
    comparison={orders}
    options={NUMBER_COMPARISONS}
    onchange={(to) => onchange({ orders: to, ...(last === undefined ? {} : { last }) } as Condition)}
  />
  {@render lastInput(last, (to) => ({ orders, ...(to === undefined ? {} : { last: to }) }))}
{:else if 'walking' in c}
  {@const walking = c.walking}
  <Pick
    label="Journey"
    options={[
      ...known.journeys.map((j) => [j.key, j.name] as const),
      ...(known.journeys.some((j) => j.key === walking) ? [] : [[walking, walking] as const])
    ]}
    value={walking}
    onchange={(key) => onchange({ walking: key })}
  />
{:else if 'consent' in c}
  <Pick
    label="Channel"
    options={[
      ['email', 'email'],
      ['sms', 'text']
    ]}
    value={c.consent}
    onchange={(consent) => onchange({ consent })}
  />
{/if}

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
  }
</style>
