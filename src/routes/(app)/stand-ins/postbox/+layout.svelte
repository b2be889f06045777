<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Snippet } from 'svelte';
  import { number, useFormat } from '$ui/format.ts';
  import type { LayoutData } from './$types';

  let { data, children }: { data: LayoutData; children: Snippet } = $props();
  const format = useFormat();
  let timer: ReturnType<typeof setTimeout>;
  const query = $derived(data.search ? `?q=${encodeURIComponent(data.search)}` : '');

  function search(text: string): void {
    clearTimeout(timer);
    timer = setTimeout(
      () => void goto(text ? `?q=${encodeURIComponent(text)}` : '?', { replaceState: true, keepFocus: true }),
      200
    );
  }
</script>

<div class="postbox">
  <section aria-label="Mail that has arrived">
    <header>
      <h1>Postbox <span class="soft">simulated · {number(data.total)} mails</span></h1>
      <input
        type="search"
        placeholder="Address or subject"
        aria-label="Search mail by address or subject"
        value={data.search}
        oninput={(e) => search(e.currentTarget.value)}
      />
    </header>
    <ul>
      {#each data.mail as m (m.id)}
        <li class:here={page.params['id'] === String(m.id)} class:unread={!m.opened}>
          <a href="/stand-ins/postbox/{m.id}{query}" data-sveltekit-preload-data="off">
            <span class="to">{m.to}</span><time>{format.dateTime(Date.parse(m.date))}</time><span class="subject"
              >{m.subject}</span
            >
          </a>
        </li>
      {:else}<li class="none soft">
          {data.search ? 'No mail fits.' : 'No mail has arrived yet. What journeys send stands here.'}
        </li>{/each}
    </ul>
    {#if data.total > data.mail.length}<p class="soft more">
        The newest {data.mail.length} of {number(data.total)}; search for the others.
      </p>{/if}
  </section>
  {@render children()}
</div>

<style>
  .postbox {
    display: grid;
    grid-template-columns: 380px 1fr;
    height: calc(100vh - var(--top));
  }
  section {
    display: flex;
    flex-direction: column;
    min-height: 0;
    background: var(--surface);
    border-right: 1px solid var(--rule);
  }
  header {
    padding: 12px 14px;
    border-bottom: 1px solid var(--rule);
  }
  h1 {
    margin-bottom: 8px;
    font-size: 15px;
    font-weight: 700;
  }
  h1 span {
    font-weight: 400;
  }
  input {
    width: 100%;
    height: 32px;
    padding: 0 10px;
    color: var(--ink);
    font-size: 14px;
    background: var(--ground);
    border: 0;
    border-bottom: 1px solid #8c9291;
    box-sizing: border-box;
  }
  ul {
    flex: 1;
    overflow: auto;
    list-style: none;
  }
  li a {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 0 10px;
    padding: 6px 14px;
    color: var(--ink);
    text-decoration: none;
    border-bottom: 1px solid var(--rule-soft);
  }
  li a:hover {
    background: #faf8f3;
  }
  li a:focus-visible {
    outline-offset: -2px;
  }
  .here a,
  .here a:hover {
    background: var(--action-ground);
  }
  .to {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  time {
    color: var(--ink-soft);
    font-size: 12px;
  }
  .subject {
    grid-column: 1 / -1;
    overflow: hidden;
    color: var(--ink-soft);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .unread .subject {
    color: var(--ink);
    font-weight: 650;
  }
  .none,
  .more {
    padding: 12px 14px;
  }
</style>
