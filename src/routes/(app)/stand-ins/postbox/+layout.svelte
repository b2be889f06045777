<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { Snippet } from 'svelte';
  import { useFormat } from '$ui/format.ts';
  import { number } from '$core/tell/words.ts';
  import FindBox from '$ui/kit/FindBox.svelte';
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
    <FindBox
      label="Search mail by address or subject"
      placeholder="Address or subject"
      value={data.search}
      oninput={look}
    />
  {/snippet}
</ListBeside>
