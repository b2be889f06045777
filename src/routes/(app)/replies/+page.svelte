<script lang="ts">
  import { useFormat } from '$ui/format.ts';
  import { plural } from '$core/tell/words.ts';
  import { instantText } from '$core/time/instant.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import type { PageData } from './$types';

  let { data }: { data: PageData } = $props();
  const format = useFormat();
</script>

<svelte:head><title>Replies · Ambulo</title></svelte:head>

<div class="page">
  <h1>Replies</h1>
  <p class="soft">
    {plural(data.total, 'reply', 'replies')} by text and mail{data.total > data.replies.length
      ? `, the latest ${data.replies.length} of them here`
      : ''}
    {#if data.replies.length}
      ·
      <SaveTable
        name="replies"
        rows={() =>
          data.replies.map((r) => ({
            at: instantText(r.at),
            who: r.name,
            person: r.person,
            by: r.channel === 'email' ? 'mail' : 'text',
            words: r.text,
            automatic: r.automatic ? 'yes' : 'no',
            proven: r.claimed ? 'no' : 'yes',
            journey: r.journey,
            step: r.step
          }))}
      />
    {/if}
  </p>
  {#if data.replies.length}
    <table class="figures">
      <thead><tr><th>When</th><th>Who</th><th>By</th><th>What they wrote</th><th>In answer to</th></tr></thead>
      <tbody>
        {#each data.replies as r, i (i)}
          <tr>
            <td class="when">{format.dateTime(r.at)}</td>
            <td
              ><a href="/people/{r.person}">{r.name}</a>{#if r.claimed}<small
                  title="By mail, without a key of ours in its address: anybody can write a sender’s name."
                  >says they are</small
                >{/if}</td
            >
            <td>{r.channel === 'email' ? 'mail' : 'text'}</td>
            <td class="words" class:soft={r.automatic}
              >{r.text}{#if r.automatic}<small>automatic</small>{/if}</td
            >
            <td
              >{#if r.journeyKey}<a href="/journeys/{r.journeyKey}?view=watch&step={r.step}">{r.journey}</a><small
                  >{r.step}</small
                >{:else}<span class="soft">no message of the last 30 days</span>{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {:else}<p class="empty">Answers to your texts and mails stand here. Send one from a journey first.</p>{/if}
  {#if data.strays.length}
    <h2>From nobody here, or about nothing of ours <span class="soft">{data.strays.length}</span></h2>
    <table class="figures">
      <thead><tr><th>When</th><th>From</th><th>By</th><th>What they wrote</th></tr></thead>
      <tbody
        >{#each data.strays as s, i (i)}<tr
            ><td class="when">{format.dateTime(s.at)}</td><td>{s.sender || 'nobody'}</td><td
              >{s.channel === 'email' ? 'mail' : 'text'}</td
            ><td class="words"
              >{s.body}{#if s.why}<small>{s.why}</small>{/if}</td
            ></tr
          >{/each}</tbody
      >
    </table>
  {/if}
</div>

<style>
  .page {
    padding: 20px 24px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  h2 {
    margin: 20px 0 8px;
    font-size: 14px;
    font-weight: 700;
  }
  .soft {
    margin-bottom: 12px;
  }
  .words {
    overflow-wrap: anywhere;
  }
  .when {
    white-space: nowrap;
  }
</style>
