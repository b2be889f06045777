<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Snippet } from 'svelte';
  import { number, useFormat } from '$ui/format.ts';
  import ListBeside from '$ui/kit/ListBeside.svelte';
  import type { LayoutData } from './$types';

  let { data, children }: { data: LayoutData; children: Snippet } = $props();
  const format = useFormat();
  let timer: ReturnType<typeof setTimeout>;
  const query = $derived(data.search ? `?q=${encodeURIComponent(data.search)}` : '');

  function look(text: string): void {
    clearTimeout(timer);
    timer = setTimeout(
      () => void goto(text ? `?q=${encodeURIComponent(text)}` : '?', { replaceState: true, keepFocus: true }),
      200
    );
  }
</script>

<ListBeside
  label="Mail that has arrived"
  title="Postbox"
  note="simulated · {number(data.total)} mails"
  lines={data.mail.map((m) => ({
    id: String(m.id),
    href: `/stand-ins/postbox/${m.id}${query}`,
    title: m.to,
    time: format.dateTime(Date.parse(m.date)),
    detail: m.subject,
    here: page.params['id'] === String(m.id),
    unread: !m.opened
  }))}
  empty={data.search ? 'No mail fits.' : 'No mail has arrived yet. What journeys send stands here.'}
  more={data.total > data.mail.length
    ? `The newest ${data.mail.length} of ${number(data.total)}; search for the others.`
    : ''}
  {children}
>
  {#snippet search()}
    <input
      type="search"
      placeholder="Address or subject"
      aria-label="Search mail by address or subject"
      value={data.search}
      oninput={(e) => look(e.currentTarget.value)}
    />
  {/snippet}
</ListBeside>

<style>
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
</style>
