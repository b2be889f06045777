<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button, TextInput } from 'carbon-components-svelte';
  import { useFormat } from '$ui/format.ts';
  import { plural } from '$core/tell/words.ts';
  import ListBeside from '$ui/kit/ListBeside.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  let text = $state('');
  const owner = $derived(data.number ? data.owners[data.number] : undefined);
</script>

<svelte:head><title>Handset · Ambulo</title></svelte:head>

<ListBeside
  label="Phones"
  title="Handset"
  note="simulated · {plural(data.phones.length, 'phone', 'phones')}"
  lines={data.phones.map((p) => ({
    id: p.number,
    href: `?number=${encodeURIComponent(p.number)}`,
    title: data.owners[p.number]?.name ?? p.number,
    time: format.dateTime(Date.parse(p.last.at)),
    detail: `${p.last.direction === 'in' ? 'answered: ' : ''}${p.last.text}`,
    here: p.number === data.number
  }))}
  empty="No text has been sent yet. What journeys send stands here."
>
  {#if data.number}
    <article>
      <header>
        <h2>{owner?.name ?? data.number}</h2>
        <p class="soft">
          {data.number}{#if owner}&nbsp; · <a href="/people/{owner.id}">their page</a>{/if}
        </p>
      </header>
      <ol>
        {#each data.texts as t (t.id)}
          <li class={t.direction}>
            <p>{t.text}</p>
            <time
              >{format.dateTime(Date.parse(t.at))}{t.repeats ? ` · came ${t.repeats + 1} times, kept once` : ''}</time
            >
          </li>
        {/each}
      </ol>
      <form
        method="post"
        use:enhance={() =>
          async ({ update, result }) => {
            await update({ reset: false });
            if (result.type === 'success') text = '';
          }}
      >
        <input type="hidden" name="number" value={data.number} />
        <TextInput
          hideLabel
          name="text"
          bind:value={text}
          placeholder="Answer as {owner?.name ?? data.number}"
          labelText="Answer as {owner?.name ?? data.number}"
          autocomplete="off"
          maxlength={1000}
        />
        <Button type="submit" size="field">Send</Button>
      </form>
      {#if form && 'problem' in form}<p class="bad" role="alert">{form.problem}</p>{/if}
    </article>
  {/if}
</ListBeside>

<style>
  time {
    color: var(--ink-soft);
    font-size: 12px;
  }
  article {
    display: flex;
    flex-direction: column;
    max-width: 560px;
    min-height: 0;
    padding: 16px 24px;
  }
  h2 {
    font-size: 17px;
    font-weight: 700;
  }
  ol {
    flex: 1;
    padding: 14px 0;
    overflow: auto;
    list-style: none;
  }
  ol li {
    margin-bottom: 12px;
  }
  ol p {
    max-width: 380px;
    padding: 8px 12px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  ol .in {
    display: grid;
    justify-items: end;
  }
  ol .in p {
    background: var(--action-ground);
    border-color: var(--action-light);
  }
  form {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
  }
  .bad {
    color: var(--failure);
  }
</style>
