<!-- One lane in the form of the step that opens it: its name, what takes people there, and taking it away with all it holds. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { Snippet } from 'svelte';
  import { plural } from '$core/tell/words.ts';
  import { inputText } from './panel.ts';

  interface Props {
    /** What the name is of: "Lane 2", "Everyone else". */
    called: string;
    label: string;
    onrename: (label: string) => void;
    /** Takes the focus when the form is opened. */
    first?: boolean;
    /** Steps that go with it; absent where it cannot be taken away. */
    remove?: { steps: number; lane: () => void } | undefined;
    /** Beside the name. */
    beside?: Snippet;
    children?: Snippet;
  }
  let { called, label, onrename, first = false, remove, beside, children }: Props = $props();
</script>

<section>
  <div class:two={beside} data-first={first ? '' : undefined}>
    <TextInput size="sm" labelText={called} value={label} on:input={(e) => onrename(inputText(e))} />
    {@render beside?.()}
  </div>
  {@render children?.()}
  {#if remove}
    <button class="act" onclick={remove.lane}
      >Remove this lane{remove.steps ? ` and its ${plural(remove.steps, 'step', 'steps')}` : ''}</button
    >
  {/if}
</section>

<style>
  section {
    margin-bottom: 10px;
    padding-bottom: 10px;
    border-bottom: 1px solid var(--rule-soft);
  }
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
  }
  section :global(.soft) {
    margin: -4px 0 6px;
    font-size: 12px;
  }
</style>
