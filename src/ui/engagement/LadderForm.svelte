<!-- An engagement ladder as a table: what counts, and how long ago it may be on each rung. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { LadderSettings } from '$core/settings/schema.ts';
  import { asking, isHeard } from '$ui/sheet/happening.ts';
  import HappeningForm from '$ui/sheet/HappeningForm.svelte';
  import { inputText, type Nameable } from '$ui/sheet/panels/panel.ts';
  import Length from './Length.svelte';

  interface Props {
    ladder: LadderSettings;
    known: Nameable;
    onchange: (ladder: LadderSettings) => void;
  }
  let { ladder, known, onchange }: Props = $props();
  const set = (part: Partial<LadderSettings>): void => onchange({ ...ladder, ...part });
  const count = (at: number, filter: LadderSettings['counts'][number]): void =>
    set({ counts: ladder.counts.map((c, i) => (i === at ? filter : c)) });
  const rung = (at: number, part: Partial<LadderSettings['rungs'][number]>): void =>
    set({ rungs: ladder.rungs.map((r, i) => (i === at ? { ...r, ...part } : r)) });
</script>

<h3>What counts</h3>
<ul>
  {#each ladder.counts as filter, i (i)}
    <li>
      <HappeningForm
        shared
        happening={filter}
        {known}
        onchange={(next) => isHeard(next.happening) && count(i, JSON.parse(JSON.stringify(next)))}
      />
      {#if ladder.counts.length > 1}
        <button
          class="act"
          aria-label="Take away what counts, {i + 1}"
          onclick={() => set({ counts: ladder.counts.filter((_, at) => at !== i) })}>Take away</button
        >
      {/if}
    </li>
  {/each}
</ul>
<button
  class="act"
  onclick={() => set({ counts: [...ladder.counts, asking('clicked', { happening: 'clicked' }, known)] })}
  >Something else counts, too</button
>
<h3>Rungs</h3>
<table class="figures">
  <thead><tr><th>Rung</th><th>Stands on it until, since they last did it</th><th></th></tr></thead>
  <tbody>
    {#each ladder.rungs as r, i (i)}
      <tr>
        <td
          ><TextInput
            size="sm"
            hideLabel
            labelText="Rung {i + 1}"
            value={r.name}
            maxlength={80}
            on:input={(e) => rung(i, { name: inputText(e) })}
          /></td
        >
        <td><Length label="Rung {i + 1}, until" value={r.upTo} onchange={(upTo) => rung(i, { upTo })} /></td>
        <td
          >{#if ladder.rungs.length > 1}<button
              class="act"
              aria-label="Take away rung {i + 1}"
              onclick={() => set({ rungs: ladder.rungs.filter((_, at) => at !== i) })}>Take away</button
            >{/if}</td
        >
      </tr>
    {/each}
    <tr>
      <td
        ><TextInput
          size="sm"
          hideLabel
          labelText="The last rung"
          value={ladder.after}
          maxlength={80}
          on:input={(e) => set({ after: inputText(e) })}
        /></td
      >
      <td class="soft">for good; who never did it stands on none</td>
      <td></td>
    </tr>
  </tbody>
</table>
<button class="act" onclick={() => set({ rungs: [...ladder.rungs, { name: '', upTo: '' }] })}>One more rung</button>

<style>
  h3 {
    margin: 12px 0 4px;
    font-size: 14px;
    font-weight: 700;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: end;
    padding: 4px 0;
  }
  li :global(.bx--form-item) {
    flex: 1 1 160px;
  }
  table {
    width: 100%;
    margin-bottom: 6px;
  }
  table td {
    vertical-align: middle;
  }
</style>
