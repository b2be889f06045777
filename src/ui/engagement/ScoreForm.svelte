<!-- A score model as a table: points for what happens, each with a cap; how they fall; between what they stay. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { decayCurve } from '$core/engagement/decay.ts';
  import type { ScoreSettings } from '$core/settings/schema.ts';
  import { number } from '$core/tell/words.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { asking, isHeard } from '$ui/sheet/happening.ts';
  import HappeningForm from '$ui/sheet/HappeningForm.svelte';
  import { inputText, type Nameable } from '$ui/sheet/panels/panel.ts';
  import StepLine from '$ui/kit/StepLine.svelte';
  import Length from './Length.svelte';

  interface Props {
    model: ScoreSettings;
    known: Nameable;
    onchange: (model: ScoreSettings) => void;
  }
  let { model, known, onchange }: Props = $props();
  type Rule = ScoreSettings['rules'][number];
  /** Sets keys; those that are undefined are taken out. */
  function set(part: { [K in keyof ScoreSettings]?: ScoreSettings[K] | undefined }): void {
    onchange(JSON.parse(JSON.stringify({ ...model, ...part })) as ScoreSettings);
  }
  const rule = (at: number, part: { [K in keyof Rule]?: Rule[K] | undefined }): void =>
    set({ rules: model.rules.map((r, i) => (i === at ? ({ ...r, ...part } as Rule) : r)) });
  /** A number as typed; `undefined` for nothing, `null` for none. */
  function numberOf(text: string): number | undefined | null {
    if (text.trim() === '') return undefined;
    const n = Number(text.replace(',', '.'));
    return Number.isFinite(n) ? n : null;
  }
  let wrong = $state<Record<string, boolean>>({});
  function take(which: string, text: string, use: (n: number | undefined) => void, needed = false): void {
    const n = numberOf(text);
    wrong[which] = n === null || (needed && n === undefined);
    if (!wrong[which]) use(n ?? undefined);
  }
  /** From what one of the points would have, or from a hundred. */
  const begin = $derived(model.ceiling ?? 100);
  const curve = $derived(model.decay ? decayCurve(begin, model.decay, model.floor ?? 0) : []);
</script>

{#snippet figure(
  which: string,
  label: string,
  value: number | undefined,
  use: (n: number | undefined) => void,
  placeholder = '',
  needed = false
)}
  <TextInput
    size="sm"
    hideLabel
    labelText={label}
    {placeholder}
    value={value ?? ''}
    invalid={wrong[which] ?? false}
    invalidText="A number."
    on:input={(e) => take(which, inputText(e), use, needed)}
  />
{/snippet}

<h3>Points for what happens</h3>
<table class="figures rules">
  <thead><tr><th>What</th><th>Points</th><th>At most</th><th>In</th><th></th></tr></thead>
  <tbody>
    {#each model.rules as r, i (i)}
      <tr>
        <td class="what"
          ><HappeningForm
            shared
            happening={r.when}
            {known}
            onchange={(when) => isHeard(when.happening) && rule(i, { when: when as Rule['when'] })}
          /></td
        >
        <td
          >{@render figure(`add${i}`, `Points, row ${i + 1}`, r.add, (add) => rule(i, { add: add ?? 0 }), '', true)}</td
        >
        <td
          >{@render figure(
            `cap${i}`,
            `At most, row ${i + 1}`,
            r.atMost?.points,
            (points) => rule(i, { atMost: points === undefined ? undefined : { points, per: r.atMost?.per ?? 'P1D' } }),
            'any'
          )}</td
        >
        <td
          >{#if r.atMost}<Length
              label="In, row {i + 1}"
              value={r.atMost.per}
              onchange={(per) => rule(i, { atMost: { points: r.atMost?.points ?? 1, per } })}
            />{/if}</td
        >
        <td
          ><button
            class="act"
            aria-label="Take away row {i + 1}"
            onclick={() => set({ rules: model.rules.filter((_, at) => at !== i) })}>Take away</button
          ></td
        >
      </tr>
    {:else}<tr><td colspan="5" class="soft">Only steps of journeys give points so far.</td></tr>{/each}
  </tbody>
</table>
<button
  class="act"
  onclick={() =>
    set({
      rules: [...model.rules, { when: asking('clicked', { happening: 'clicked' }, known) as Rule['when'], add: 5 }]
    })}>One more row</button
>

<h3>While nothing is added</h3>
<div class="line">
  <Pick
    label="Points fall"
    options={[
      ['none', 'points stay'],
      ['by', 'points fall by'],
      ['half', 'half of them is lost']
    ]}
    value={!model.decay ? 'none' : model.decay.by === 'half' ? 'half' : 'by'}
    onchange={(how) =>
      set({
        decay: how === 'none' ? undefined : { by: how === 'half' ? 'half' : 5, every: model.decay?.every ?? 'P30D' }
      })}
  />
  {#if model.decay}
    {#if model.decay.by !== 'half'}
      {@render figure('by', 'Points lost', model.decay.by, (by) =>
        set({ decay: { by: by ?? 1, every: model.decay?.every ?? 'P30D' } })
      )}
    {/if}
    <span>every</span>
    <Length
      label="Every"
      value={model.decay.every}
      onchange={(every) => set({ decay: { by: model.decay?.by ?? 'half', every } })}
    />
  {/if}
</div>
{#if curve.length > 1}<StepLine
    label={`Points while nothing is added: ${curve.map((c) => `${number(c.points)} on day ${number(c.day)}`).join(', ')}`}
    points={curve.map((c) => ({ x: c.day, y: c.points }))}
    below="days without a rise"
  />{/if}
<div class="line">
  <span>Never below</span>
  {@render figure('floor', 'Never below', model.floor, (floor) => set({ floor }), 'no floor')}
  <span>and never above</span>
  {@render figure('ceiling', 'Never above', model.ceiling, (ceiling) => set({ ceiling }), 'no ceiling')}
</div>

<style>
  h3 {
    margin: 12px 0 4px;
    font-size: 14px;
    font-weight: 700;
  }
  .rules {
    width: 100%;
    margin-bottom: 6px;
    table-layout: fixed;
  }
  .rules th:not(:first-child) {
    width: 80px;
  }
  .rules th:nth-child(4) {
    width: 100px;
  }
  .what {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
  }
  .what :global(.bx--form-item) {
    flex: 1 1 140px;
  }
  .line {
    display: flex;
    gap: 8px;
    align-items: center;
    margin: 8px 0;
  }
  .line :global(.bx--form-item) {
    flex: 0 0 auto;
  }
  .line :global(.bx--text-input-wrapper) {
    width: 110px;
  }
</style>
