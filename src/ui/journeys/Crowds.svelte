<!-- People who are coming into a journey, moving to another version or leaving it, many at once: how far that is, and stopping it. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import type { Crowd } from '$server/crowds/crowds.ts';
  import { number } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';

  let { crowds }: { crowds: Crowd[] } = $props();
  const format = useFormat();

  const WORDS: Record<Crowd['kind'], string> = {
    existing: 'Those who have what it starts from are coming in',
    enter: 'People are being put in',
    look: 'Dates are being worked out',
    midnight: 'Segments are being looked at',
    move: 'Those inside are going over to the new version',
    end: 'Everybody is leaving',
    change: 'People are being taken out',
    resume: 'Those inside hear of what happened meanwhile'
  };
</script>

{#each crowds as c (c.id)}
  <section aria-label="Many at once">
    <p>
      {WORDS[c.kind]}: <strong>{number(Math.min(c.asked, c.total))}</strong> of {number(c.total)}
      {#if c.state === 'stopped'}<strong>· stopped</strong>{:else if c.asked === 0}<span class="soft"
          >from {format.dateTime(c.begins_at)} on</span
        >{/if}
    </p>
    <progress max={Math.max(1, c.total)} value={c.asked}
      >{Math.round((100 * c.asked) / Math.max(1, c.total))} %</progress
    >
    {#if c.kind !== 'end' && c.kind !== 'resume'}
      <form method="post" action="?/crowd" use:enhance>
        <input type="hidden" name="id" value={c.id} />
        <input type="hidden" name="stop" value={c.state === 'stopped' ? '0' : '1'} />
        <button class="act">{c.state === 'stopped' ? 'Go on' : 'Stop'}</button>
      </form>
    {/if}
  </section>
{/each}

<style>
  section {
    display: flex;
    gap: 16px;
    align-items: center;
    padding: 6px 18px;
    font-size: 13px;
    background: var(--surface-2);
    border-bottom: 1px solid var(--rule);
  }
  progress {
    width: 12rem;
    height: 6px;
    accent-color: var(--action);
  }
</style>
