<!-- The waits of one gap as a form: what is waited for as it would be typed into the gap, and what belongs to each besides. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { gapText, readGapText } from '$core/edit/gap-text.ts';
  import type { TypedAround } from '$core/edit/typed-until.ts';
  import type { Gap } from '$core/sheet/layout.ts';
  import type { WaitStep } from '$core/steps/wait.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import type { Editor } from './editor.svelte.ts';
  import { inputText } from './panels/panel.ts';

  interface Props {
    editor: Editor;
    gap: Gap;
    around: TypedAround;
    /** The workspace's. */
    zone: string;
  }
  let { editor, gap, around, zone }: Props = $props();

  let problem = $state('');

  function take(text: string): void {
    // Once it is applied the gap is another.
    const { lane, index, waits, before } = gap;
    const read = readGapText(text, before, around);
    problem = 'problem' in read ? read.problem : '';
    if ('problem' in read) return;
    editor.apply({ edit: 'waits', lane, index, waits: read.waits });
    editor.selection = { at: 'gap', lane, index: index - waits.length + read.waits.length };
  }
  const patch = (step: WaitStep, set: Record<string, unknown>): void =>
    editor.apply({ edit: 'patch', key: step.key, set }, `${step.key}/${Object.keys(set).join()}`);

  const PAST = [
    ['go-on', 'goes on at once'],
    ['skip', 'goes on behind the next step'],
    ['leave', 'leaves the journey']
  ] as const;
  /** Each person's own clock, or one that is the same for all. */
  const zones = (own: string | undefined): [string, string][] =>
    [...new Set(['person', editor.document.zone ?? zone, ...(own === undefined ? [] : [own])])].map((name) => [
      name,
      name === 'person' ? 'of each person' : `of ${name}`
    ]);
</script>

<TextInput
  size="sm"
  labelText="Wait"
  placeholder="2d, fri 16:00, 2d before visit"
  value={gapText(gap.waits)}
  invalid={problem !== ''}
  invalidText={problem}
  on:change={(e) => take(inputText(e))}
/>
{#each gap.waits as step (step.key)}
  {#if step.until}
    {@const until = step.until}
    {#if 'field' in until}
      <Pick
        shown
        label="Whoever comes when {until.field} has passed, or has none,"
        options={PAST}
        value={until.past ?? 'go-on'}
        onchange={(past) => patch(step, { until: { ...until, past: past === 'go-on' ? undefined : past } })}
      />
    {/if}
    <Pick
      shown
      label="By the clock"
      options={zones(until.zone)}
      value={until.zone ?? 'person'}
      onchange={(name) => patch(step, { until: { ...until, zone: name === 'person' ? undefined : name } })}
    />
  {/if}
{/each}
