<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { ScoreStep } from '$core/steps/score.ts';
  import Suggest from '$ui/kit/Suggest.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { step, set, known }: PanelProps<ScoreStep> = $props();

  /** A number half typed is not taken yet. */
  function points(typed: string): void {
    if (typed !== '' && Number.isFinite(Number(typed))) set('add', Number(typed), false);
  }
</script>

<div data-first>
  <Suggest
    shown
    label="Score"
    placeholder="the name of a score"
    known={known.scores}
    value={step.score}
    onchange={(score) => set('score', score.trim(), false)}
  />
</div>
<TextInput
  size="sm"
  type="number"
  labelText="Points to add; below zero takes off"
  value={step.add}
  on:input={(e) => points(inputText(e))}
/>
