<!-- What one question of a condition asks: the message and the act, the tag, the field and its value. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { MESSAGE_HAPPENINGS } from '$core/condition/happening.ts';
  import type { Condition } from '$core/condition/schema.ts';
  import { kindOf } from '$core/steps/index.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';
  import { askingDid, askingField, comparedBy, COMPARISONS, isField } from './condition.ts';
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
</script>

{#if 'did' in c}
  <div class="two">
    <Pick
      label="What they did"
      options={acts}
      value={acts.find(([h]) => h === c.did)?.[0] ?? 'opened'}
      onchange={(did) => onchange(askingDid(c, did, c.of))}
    />
    <Pick
      label="Which message"
      options={messages}
      value={c.of ?? ''}
      onchange={(of) => onchange(askingDid(c, c.did, of))}
    />
  </div>
{:else if 'tag' in c}
  <Suggest
    label="Tag"
    placeholder="tag"
    known={known.tags}
    value={c.tag ?? ''}
    onchange={(tag) => onchange({ tag: tag.trim() })}
  />
{:else if 'list' in c}
  <TextInput
    size="sm"
    hideLabel
    labelText="List"
    placeholder="list"
    value={c.list}
    on:input={(e) => onchange({ list: inputText(e).trim() })}
  />
{:else if isField(c)}
  {@const how = comparedBy(c)}
  {@const value = c.is ?? c.not ?? ''}
  <div class="two">
    <Suggest
      label="Field"
      placeholder="field"
      known={known.fields}
      value={c.field}
      onchange={(field) => onchange(askingField(field.trim(), how, value))}
    />
    <Pick
      label="Comparison"
      options={COMPARISONS}
      value={how}
      onchange={(by) => onchange(askingField(c.field, by, value))}
    />
  </div>
  {#if how === 'is' || how === 'not'}
    <TextInput
      size="sm"
      hideLabel
      labelText="Value"
      placeholder="value"
      value={String(value)}
      on:input={(e) => onchange(askingField(c.field, how, inputText(e)))}
    />
  {/if}
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
