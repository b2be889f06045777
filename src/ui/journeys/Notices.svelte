<!-- What is to be known above a sheet: who locked it, when it goes live by itself; and the small forms that its menu opens. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { TextInput } from 'carbon-components-svelte';
  import { useFormat } from '$ui/format.ts';

  interface Props {
    journey: { folder: string; lockedBy: string | null; lockedWhy: string | null };
    /** A reviewed draft that goes live later, or could not. */
    liveAt: { at: number | null; by: string; problem: string | null; differs: boolean } | null;
    /** Which form is open. */
    asking: 'lock' | 'folder' | null;
  }
  let { journey, liveAt, asking = $bindable() }: Props = $props();
  const format = useFormat();
  const closed = () => {
    asking = null;
  };
</script>

{#if journey.lockedBy !== null}
  <form class="notice" method="post" action="?/unlock" use:enhance>
    <p>
      <strong>{journey.lockedBy} has locked this journey</strong>{journey.lockedWhy ? `: ${journey.lockedWhy}` : ''}. It
      can be looked at, and is changed by nobody until it is unlocked.
    </p>
    <button class="act">Unlock it</button>
  </form>
{:else if asking === 'lock'}
  <form class="notice" method="post" action="?/lock" use:enhance={closed}>
    <TextInput size="sm" name="why" labelText="Why nobody should change it now" maxlength={200} autofocus />
    <button class="act">Lock it</button>
    <button class="act" type="button" onclick={() => (asking = null)}>Leave it open</button>
  </form>
{/if}
{#if liveAt}
  <form class="notice" method="post" action="?/callOff" use:enhance>
    {#if liveAt.at !== null}
      <p>
        <strong>Goes live {format.dateTime(liveAt.at)}</strong>, as {liveAt.by} reviewed it.{liveAt.differs
          ? ' The draft was changed since: that is not in it.'
          : ''}
      </p>
      <button class="act">Call it off</button>
    {:else}
      <p><strong>It did not go live</strong> when it should have. {liveAt.problem}</p>
      <button class="act">I have seen it</button>
    {/if}
  </form>
{/if}
{#if asking === 'folder'}
  <form class="notice" method="post" action="?/folder" use:enhance={closed}>
    <TextInput
      size="sm"
      name="folder"
      labelText="Folder (empty: none)"
      value={journey.folder}
      maxlength={60}
      autofocus
    />
    <button class="act">Put it there</button>
    <button class="act" type="button" onclick={() => (asking = null)}>Cancel</button>
  </form>
{/if}

<style>
  .notice {
    display: flex;
    gap: 14px;
    align-items: end;
    padding: 8px 18px;
    background: var(--attention-ground);
    border-bottom: 1px solid var(--rule);
  }
</style>
