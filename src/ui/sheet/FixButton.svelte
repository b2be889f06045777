<script lang="ts">
  import type { Finding } from '$core/check/index.ts';
  import type { Editor } from './editor.svelte.ts';

  let { editor, finding }: { editor: Editor; finding: Finding } = $props();
</script>

{#if finding.fix}
  <button class="act" onclick={() => editor.fix(finding)}>{finding.fix.label}</button>
{/if}

<style>
  button {
    flex: none;
    padding: 4px 0;
    font-size: 13px;
  }
</style>
