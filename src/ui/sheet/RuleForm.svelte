<!-- What a goal or a leaving rule says: any of several happenings, or something that is true of the person. -->
<script lang="ts">
  import { isHappening, type Reason } from '$core/condition/schema.ts';
  import type { HappeningFilter } from '$core/condition/happening.ts';
  import { ruleWords } from '$core/tell/condition.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import ConditionForm from './ConditionForm.svelte';
  import { freshQuestion } from './condition.ts';
  import { asking, isHeard } from './happening.ts';
  import HappeningForm from './HappeningForm.svelte';
  import type { Nameable } from './panels/panel.ts';

  interface Props {
    /** What it is about, read out: "Goal". */
    label: string;
    when: Reason;
    known: Nameable;
    name: (key: string) => string;
    onchange: (when: Reason) => void;
  }
  let { label, when, known, name, onchange }: Props = $props();

  const happenings = $derived(Array.isArray(when) ? when : isHappening(when) ? [when] : null);
  const give = (to: HappeningFilter[]): void => {
    const [only] = to;
    onchange(to.length === 1 && only ? only : to);
  };
  const fresh = (): HappeningFilter =>
    asking(known.messages.length ? 'clicked' : 'purchased', { happening: 'clicked' }, known);
</script>

<Pick
  label="{label}: what it goes by"
  options={[
    ['happens', 'as soon as …'],
    ['is', 'as soon as it is true that they …']
  ]}
  value={happenings ? 'happens' : 'is'}
  onchange={(to) => onchange(to === 'happens' ? fresh() : freshQuestion('tag', known))}
/>
{#if happenings}
  {#each happenings as h, i (i)}
    {#if i}<p class="soft">or</p>{/if}
    {#if isHeard(h.happening)}
      <HappeningForm
        happening={h}
        {known}
        onchange={(to) => give(happenings.map((other, n) => (n === i ? to : other)))}
      />
    {:else}<p>They {ruleWords(h, name)}.</p>{/if}
    {#if happenings.length > 1}
      <button class="act" onclick={() => give(happenings.filter((_, n) => n !== i))}>Not this</button>
    {/if}
  {/each}
  <button class="act" onclick={() => give([...happenings, fresh()])}>Or when something else happens</button>
{:else if !Array.isArray(when) && !isHappening(when)}
  <ConditionForm condition={when} {known} {onchange} />
{/if}
