<!-- Ready journeys by purpose: what each does, drawn, why it is made so, and what it asks before use. -->
<script lang="ts">
  import { Button, TextInput } from 'carbon-components-svelte';
  import { eachStep } from '$core/journey/walk-document.ts';
  import { kindOf } from '$core/steps/index.ts';
  import { plural } from '$core/tell/words.ts';
  import Suggest from '$ui/kit/Suggest.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();

  const known = $derived({
    tag: data.names.tags,
    field: data.names.fields,
    rung: data.names.rungs,
    score: data.names.scores,
    form: [],
    link: [],
    text: []
  });
  const notes = $derived(
    data.journey
      ? eachStep(data.journey).flatMap(({ step }) =>
          step.note
            ? [{ title: step.kind === 'wait' ? 'Wait' : kindOf(step).card(step).title, note: step.note, key: step.key }]
            : []
        )
      : []
  );
  /** Arrow keys go from one to the next. */
  function onkeydown(event: KeyboardEvent): void {
    const by = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (!by) return;
    const links = [...document.querySelectorAll<HTMLAnchorElement>('nav.starters a')];
    links[links.indexOf(document.activeElement as HTMLAnchorElement) + by]?.focus();
    event.preventDefault();
  }
</script>

<svelte:head><title>Starters · Ambulo</title></svelte:head>

<div class="page">
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions (arrows move between the links inside) -->
  <nav class="starters" aria-label="Starters" {onkeydown}>
    <h1>Starters <span class="soft">{data.starters.length}</span></h1>
    {#each data.starters as s (s.key)}
      <a href="?show={s.key}" aria-current={s.key === data.chosen?.key ? 'page' : undefined} data-sveltekit-keepfocus
        ><strong>{s.name}</strong><small>{s.purpose}</small></a
      >
    {/each}
  </nav>
  {#if data.chosen}
    {@const chosen = data.chosen}
    <article>
      <h2>{chosen.name}</h2>
      <p>{chosen.purpose}. {chosen.why}</p>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls by keyboard) -->
      <div class="picture" tabindex="0" role="group" aria-label="Its sheet">
        <!-- eslint-disable-next-line svelte/no-at-html-tags (made by core/sheet/picture.ts, which escapes all text) -->
        {@html data.picture}
      </div>
      <div class="two">
        <form method="post">
          <h3>Before you use it</h3>
          <input type="hidden" name="starter" value={chosen.key} />
          {#key chosen.key}
            <TextInput size="sm" labelText="Name of your journey" name="name" value={chosen.name} maxlength={120} />
            {#each chosen.questions as q (q.id)}
              <Suggest shown label={q.ask} name={q.id} known={known[q.kind]} value={q.usual} />
            {/each}
          {/key}
          {#if form?.problem}<p class="bad" role="alert">{form.problem}</p>{/if}
          <p class="act-row"><Button size="field" type="submit">Make a draft of it</Button></p>
          <p class="soft">It becomes a draft: nothing goes out, and everything can be changed.</p>
        </form>
        <section>
          <h3>Why each step is there <span class="soft">{plural(notes.length, 'note', 'notes')}</span></h3>
          <dl>
            {#each notes as n (n.key)}<dt>{n.title}</dt>
              <dd>{n.note}</dd>{/each}
          </dl>
        </section>
      </div>
    </article>
  {/if}
</div>

<style>
  .page {
    display: grid;
    grid-template-columns: 290px minmax(0, 1fr);
    height: calc(100vh - var(--top));
  }
  .starters {
    overflow: auto;
    background: var(--surface-2);
    border-right: 1px solid var(--rule);
  }
  h1 {
    padding: 16px 18px 10px;
    font-size: 17px;
    font-weight: 700;
  }
  .starters a {
    display: block;
    padding: 7px 18px;
    color: var(--ink);
    text-decoration: none;
    border-top: 1px solid var(--rule-soft);
  }
  .starters a:hover {
    background: var(--hover);
  }
  .starters a[aria-current] {
    background: var(--action-ground);
    box-shadow: inset 3px 0 0 var(--action);
  }
  small {
    display: block;
    color: var(--ink-soft);
    font-size: 12.5px;
  }
  article {
    padding: 16px 22px 40px;
    overflow: auto;
  }
  h2 {
    font-size: 17px;
    font-weight: 700;
  }
  h3 {
    margin-bottom: 8px;
    font-size: 13px;
    font-weight: 700;
  }
  .picture {
    margin: 12px 0 16px;
    overflow: auto;
    border: 1px solid var(--rule);
  }
  .picture :global(svg) {
    display: block;
  }
  .two {
    display: grid;
    grid-template-columns: 300px 1fr;
    gap: 26px;
  }
  form :global(.bx--form-item),
  form :global(.bx--list-box__wrapper) {
    margin-bottom: 10px;
  }
  dl {
    display: grid;
    grid-template-columns: 150px 1fr;
    gap: 4px 14px;
    font-size: 13.5px;
  }
  dt {
    font-weight: 600;
  }
  .act-row {
    margin: 6px 0;
  }
  .bad {
    color: var(--failure);
  }
</style>
