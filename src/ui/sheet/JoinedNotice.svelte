<!-- What somebody else changed in this draft while it was being edited here, step by step, until it has been read. -->
<script lang="ts">
  import type { Editor } from './editor.svelte.ts';

  let { editor }: { editor: Editor } = $props();
  const joined = $derived(editor.joined);
  const go = (step: string): void => {
    editor.selection = { at: 'card', key: step };
    editor.focusSheet++;
  };
</script>

{#if joined && (joined.changes.length || joined.both.length)}
  <section aria-label="Changed by somebody else">
    <div>
      <p>
        <strong>{joined.by || 'Another window'}</strong> changed this draft too. Both are here:
      </p>
      <ul>
        {#each joined.changes as change, i (i)}
          {@const step = change.step}
          <li>
            {#if step}<button class="act" onclick={() => go(step)}>{change.text}</button>{:else}{change.text}{/if}
          </li>
        {/each}
        {#each joined.both as both, i (i)}<li><strong>Changed by both, yours was kept:</strong> {both}</li>{/each}
      </ul>
    </div>
    <button class="act" onclick={() => (editor.joined = null)}>I have read it</button>
  </section>
{/if}

<style>
  section {
    display: flex;
    gap: 16px;
    justify-content: space-between;
    align-items: start;
    max-height: 130px;
    padding: 8px 18px;
    overflow: auto;
    background: var(--attention-ground);
    border-bottom: 1px solid var(--rule);
  }
  ul {
    padding-left: 18px;
    font-size: 13px;
  }
</style>
