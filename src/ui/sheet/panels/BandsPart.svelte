<!-- Bands of a number: what is measured, the cut points as typed or dragged over a line, and the lanes they give. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { readCuts, withCuts, withMeasure, type Bands } from '$core/edit/branch-by.ts';
  import { durationShort } from '$core/tell/words.ts';
  import { typedDuration } from '$core/time/duration.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';
  import CutLine from './CutLine.svelte';
  import LanePart from './LanePart.svelte';
  import { inputText, type Nameable } from './panel.ts';

  interface Props {
    step: Bands;
    known: Nameable;
    onchange: (step: Bands, field: string) => void;
    onrename: (place: number, label: string) => void;
  }
  let { step, known, onchange, onrename }: Props = $props();

  const WHAT = [
    ['spent', 'what they spent'],
    ['field', 'a field that is a number'],
    ['score', 'points of a score']
  ] as const;
  const what = $derived('spent' in step.of ? 'spent' : 'field' in step.of ? 'field' : 'score');
  let problem = $state('');

  function measure(to: (typeof WHAT)[number][0]): void {
    const field = known.fields.find((f) => f !== 'email' && f !== 'phone' && f !== 'first_name') ?? 'visits';
    onchange(
      withMeasure(
        step,
        to === 'spent' ? { spent: true } : to === 'field' ? { field } : { score: known.scores[0] ?? 'interest' }
      ),
      'of'
    );
  }
  function cut(text: string): void {
    const cuts = readCuts(text);
    problem = cuts ? '' : 'type numbers with commas between them, such as 50, 200';
    if (cuts) onchange(withCuts(step, cuts), 'cuts');
  }
  const lanes = $derived(step.lanes.map((lane, i) => ({ lane, i })));
</script>

<Pick shown label="The number is" options={WHAT} value={what} onchange={measure} />
{#if 'spent' in step.of}
  {@const of = step.of}
  <TextInput
    size="sm"
    labelText="In the last (1y, 90d; empty: ever)"
    value={of.last ? durationShort(of.last) : ''}
    on:change={(e) => {
      const typed = inputText(e).trim();
      const last = typedDuration(typed);
      if (last || !typed) onchange({ ...step, of: { ...of, last: last ?? undefined } }, 'last');
    }}
  />
{:else if 'field' in step.of}
  <Suggest
    shown
    label="Field"
    known={known.fields}
    value={step.of.field}
    onchange={(field) => field.trim() && onchange(withMeasure(step, { field: field.trim() }), 'field')}
  />
{:else}
  <Suggest
    shown
    label="Score"
    known={known.scores}
    value={step.of.score}
    onchange={(score) => score.trim() && onchange(withMeasure(step, { score: score.trim() }), 'score')}
  />
{/if}
<TextInput
  size="sm"
  labelText="Cut at"
  value={step.cuts.join(', ')}
  invalid={problem !== ''}
  invalidText={problem}
  on:change={(e) => cut(inputText(e))}
/>
<CutLine cuts={step.cuts} onchange={(cuts) => onchange(withCuts(step, cuts), 'cuts')} />
{#each lanes as { lane, i } (i)}
  <LanePart
    called={i === 0
      ? `Under ${step.cuts[0]}`
      : i === step.cuts.length
        ? `${step.cuts[i - 1]} or more`
        : `${step.cuts[i - 1]} to under ${step.cuts[i]}`}
    label={lane.label}
    onrename={(label) => onrename(i, label)}
  />
{/each}
{#if step.none}
  <LanePart called="No value" label={step.none.label} onrename={(label) => onrename(step.lanes.length, label)}>
    <p class="soft">Whoever has no such value comes here.</p>
  </LanePart>
{/if}
