<script lang="ts">
  import { number } from '$core/tell/words.ts';
  import type { PageData } from './$types';

  let { data }: { data: PageData } = $props();
</script>

<svelte:head><title>Stand-ins · Ambulo</title></svelte:head>

<div class="page">
  <h1>Stand-ins</h1>
  <p class="soft">
    Simulated outside services, each a program of its own that speaks the real protocol. A real provider replaces one by
    a change of setting.
  </p>
  <ul>
    <li>
      <h2><a href="/stand-ins/postbox">Postbox</a></h2>
      <p>
        A mail server and its readers. {#if 'away' in data.postbox}<span class="bad">{data.postbox.away}</span
          >{:else}{number(data.postbox.total)} mails have arrived by SMTP.{/if}
      </p>
    </li>
    <li>
      <h2><a href="/stand-ins/handset">Handset</a></h2>
      <p>
        An SMS gateway and the phones behind it. {#if 'away' in data.handset}<span class="bad">{data.handset.away}</span
          >{:else}{number(data.handset.texts)} texts on {number(data.handset.phones)} phones.{/if}
      </p>
    </li>
    <li>
      <h2>Passers-by</h2>
      <p>
        Invented people who open, follow links, answer, unsubscribe or do nothing, by a seeded behaviour. They react
        while the practice clock is skipped ahead, where the menu <em>Skip ahead</em> says so.
      </p>
    </li>
  </ul>
</div>

<style>
  .page {
    padding: 20px 24px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  ul {
    max-width: 760px;
    margin-top: 14px;
    list-style: none;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  li {
    padding: 14px 16px;
    border-bottom: 1px solid var(--rule-soft);
  }
  h2 {
    font-size: 15px;
    font-weight: 650;
  }
  .bad {
    color: var(--failure);
  }
</style>
