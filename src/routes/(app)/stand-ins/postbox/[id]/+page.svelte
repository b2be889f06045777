<script lang="ts">
  import { enhance } from '$app/forms';
  import { tick } from 'svelte';
  import { findLinks } from '$core/message/links.ts';
  import { useFormat } from '$ui/format.ts';
  import Choice from '$ui/kit/Choice.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const m = $derived(data.opened);
  let frame = $state<HTMLIFrameElement>();
  let follow = $state<HTMLFormElement>();
  let url = $state('');

  /**
   * The frame runs no scripts, so it may share our origin, without which its own pictures would be refused.
   * Its links are followed as the list below does: by the Postbox, in the reader's place.
   */
  function followInside(event: MouseEvent): void {
    const link = (event.target as Element | null)?.closest('a');
    if (!link) return;
    event.preventDefault();
    if (link.href === unsubscribe) window.open(link.href, '_blank', 'noopener');
    else {
      url = link.href;
      void tick().then(() => follow?.requestSubmit());
    }
  }

  $effect(() => {
    const shown = frame;
    if (!shown) return;
    const watch = (): void => shown.contentDocument?.addEventListener('click', followInside);
    // Its document may be there already, or be on its way.
    watch();
    shown.addEventListener('load', watch);
    return () => shown.removeEventListener('load', watch);
  });

  const BACK = [
    ['away', 'Automatic answer'],
    ['gone', 'No such mailbox'],
    ['full', 'Mailbox full'],
    ['prose', 'Not delivered, in prose'],
    ['spam', 'Report as spam'],
    ['unsubscribe', 'Unsubscribe by mail']
  ] as const;
  let part = $state<'html' | 'text' | 'headers'>('html');
  const headers = $derived([...m.headers, ['return-path', m.returnPath]].map(([k, v]) => `${k}: ${v}`).join('\n'));
  const links = $derived(findLinks(m.text).map((l) => l.url));
  const unsubscribe = $derived(
    // Anyone may send a mail here, with any address in it.
    /<(https?:\/\/[^<>\s]+)>/i.exec(m.headers.find(([name]) => name === 'list-unsubscribe')?.[1] ?? '')?.[1] ?? null
  );
  /** What the reader sees of a tracked link: the words around it in the HTML part. */
  const shownAs = $derived(
    new Map([...m.html.matchAll(/<a href="([^"]+)"[^>]*>([^<]*)<\/a>/g)].map((x) => [x[1] ?? '', x[2] ?? '']))
  );
</script>

<svelte:head><title>{m.subject} · Postbox · Ambulo</title></svelte:head>

<article>
  <header>
    <h2>{m.subject}</h2>
    <p class="soft">
      From {m.from} to <strong>{m.to}</strong> · {format.dateTime(Date.parse(m.date))}{#if m.repeats}
        · came {m.repeats + 1} times under one Message-ID, kept once{/if}
    </p>
    <div class="parts">
      <Choice
        label="Part of the mail"
        options={[
          ['html', 'As a reader sees it'],
          ['text', 'Text part'],
          ['headers', 'Headers']
        ] as const}
        bind:chosen={part}
      />
    </div>
  </header>
  {#key m.id}
    {#if part === 'html'}<iframe
        bind:this={frame}
        title="The mail as its reader sees it"
        sandbox="allow-same-origin"
        srcdoc={m.html}
      ></iframe>
    {:else if part === 'text'}<pre>{m.text}</pre>
    {:else}<pre>{headers}</pre>{/if}
  {/key}
  <form bind:this={follow} method="post" action="?/follow" use:enhance hidden>
    <input type="hidden" name="url" value={url} />
  </form>
  <footer>
    <h3>As {m.to}, follow</h3>
    <ul>
      {#each links.filter((l) => l !== unsubscribe) as link (link)}
        <li>
          <form method="post" action="?/follow" use:enhance>
            <input type="hidden" name="url" value={link} /><button class="act">{shownAs.get(link) ?? link}</button>
          </form>
        </li>
      {:else}<li class="soft">This mail has no links.</li>{/each}
      {#if unsubscribe}<li><a href={unsubscribe} target="_blank" rel="noreferrer">Unsubscribe</a></li>{/if}
    </ul>
    <h3>As {m.to}, send back</h3>
    <form class="back" method="post" action="?/back" use:enhance>
      <input type="hidden" name="do" value="reply" />
      <input name="text" aria-label="An answer" placeholder="An answer" maxlength={5000} autocomplete="off" />
      <button class="act">Send</button>
    </form>
    <form method="post" action="?/back" use:enhance>
      <ul>
        {#each BACK as [kind, words] (kind)}
          <li><button class="act" name="do" value={kind}>{words}</button></li>
        {/each}
      </ul>
    </form>
    {#if form && 'sent' in form}<p role="status">{form.sent}</p>{/if}
    {#if form && 'followed' in form}<p role="status">
        Followed as {m.to}: it led to <strong>{form.followed}</strong>.
      </p>{/if}
    {#if form && 'problem' in form}<p class="bad" role="alert">{form.problem}</p>{/if}
  </footer>
</article>

<style>
  .parts {
    margin: 10px 0;
  }
  article {
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    padding: 16px 20px;
  }
  h2 {
    font-size: 17px;
    font-weight: 700;
  }
  iframe,
  pre {
    flex: 1;
    min-height: 200px;
    margin: 0;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  pre {
    padding: 16px;
    overflow: auto;
    font: inherit;
    font-size: 13px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  footer {
    padding-top: 10px;
  }
  h3 {
    font-size: 12.5px;
    font-weight: 700;
  }
  ul {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 18px;
    list-style: none;
  }
  .back {
    display: flex;
    gap: 8px;
    align-items: center;
    margin: 4px 0;
  }
  .back input {
    width: 24rem;
    height: 28px;
    padding: 0 8px;
    border: 1px solid var(--rule-strong);
  }
  .bad {
    color: var(--failure);
  }
</style>
