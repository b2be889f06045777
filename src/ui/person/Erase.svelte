<!-- Everything of a person as one file; and erasing them, which is asked once more in numbers. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button, TextInput } from 'carbon-components-svelte';
  import { number } from '$core/tell/words.ts';

  interface Props {
    id: number;
    /** What has to be typed to erase them: their address. */
    address: string;
    counts: { messages: number; walks: number; happenings: number };
  }
  let { id, address, counts }: Props = $props();
  let asking = $state(false);
  let typed = $state('');
</script>

<p><a href="/people/{id}/everything" download>Save everything of this person (ZIP)</a></p>
{#if !asking}
  <button class="act" onclick={() => (asking = true)}>Erase this person …</button>
{:else}
  <form method="post" action="?/erase" use:enhance>
    <p>
      Gone for good: facts, {number(counts.messages)} messages, {number(counts.walks)} walks, {number(
        counts.happenings
      )} happenings, notes, and uploaded files in which the address stands. What stays: a hash of the address with the consents
      it gave, and that nobody may write to it, if so. It cannot be taken back.
    </p>
    <TextInput
      size="sm"
      name="address"
      labelText="Type {address} to erase them"
      autocomplete="off"
      bind:value={typed}
    />
    <div class="acts">
      <Button size="small" kind="danger" type="submit" disabled={typed.trim().toLowerCase() !== address.toLowerCase()}
        >Erase</Button
      >
      <Button size="small" kind="ghost" on:click={() => (asking = false)}>Keep them</Button>
    </div>
  </form>
{/if}

<style>
  form {
    margin-top: 6px;
    padding: 8px 10px;
    font-size: 13px;
    background: var(--failure-ground);
    border: 1px solid var(--failure);
  }
  .acts {
    display: flex;
    gap: 8px;
    margin-top: 8px;
  }
  p {
    margin-bottom: 6px;
  }
</style>
