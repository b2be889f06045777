<script lang="ts">
  import { own } from '$core/own.ts';
  import { enhance } from '$app/forms';
  import { onMount } from 'svelte';
  import { Button, TextInput } from 'carbon-components-svelte';
  import { useFormat } from '$ui/format.ts';
  import type { FieldValue } from '$core/person/values.ts';
  import Choice from '$ui/kit/Choice.svelte';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';
  import Consents from '$ui/person/Consents.svelte';
  import Erase from '$ui/person/Erase.svelte';
  import Engaged from '$ui/person/Engaged.svelte';
  import Facts from '$ui/person/Facts.svelte';
  import Timeline from '$ui/person/Timeline.svelte';
  import Why from '$ui/person/Why.svelte';
  import type { ActionData, PageData, SubmitFunction } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const p = $derived(data.person);
  let kinds = $state<'all' | 'theirs' | 'messages' | 'texts'>('all');
  let find = $state('');
  /** The journey of which it is asked why they are not in it. */
  let asking = $state('');
  /** Of the answer that is being written: pressed twice, it is sent once. */
  let once = $state('');
  onMount(() => {
    once = crypto.randomUUID();
  });
  /** The suppressed address that a reason is asked for. */
  let lifting = $state<string | null>(null);
  const elsewhere = $derived(p.zone && p.zone !== format.zone ? p.zone : null);

  const facts = $derived<[string, FieldValue | null][]>([
    ['email', p.email],
    ['phone', p.phone],
    ['first_name', p.fields['first_name'] ?? null],
    ['last_name', p.fields['last_name'] ?? null],
    ['zone', p.zone],
    ...[...new Set([...Object.keys(p.fields), ...Object.keys(data.types)])]
      .filter((name) => name !== 'first_name' && name !== 'last_name')
      .sort()
      .map((name): [string, FieldValue | null] => [name, own(p.fields, name) ?? null])
  ]);
  const lift: SubmitFunction =
    () =>
    async ({ update }) => {
      await update();
      lifting = null;
    };
</script>

{#snippet suppressed(address: string | null)}
  {#if address && p.suppressed.includes(address.toLowerCase())}
    <strong class="bad suppressed">suppressed: it bounced</strong>
    {#if lifting === address}
      <form class="line lift" method="post" action="?/lift" use:enhance={lift}>
        <input type="hidden" name="address" value={address} />
        <TextInput
          size="sm"
          hideLabel
          name="reason"
          labelText="Why it may be written to again"
          placeholder="why it is good again"
          required
          maxlength={200}
        />
        <Button size="small" kind="tertiary" type="submit">Lift</Button>
      </form>
    {:else}<button class="act" onclick={() => (lifting = address)}>Lift …</button>{/if}
  {/if}
{/snippet}

<svelte:head><title>{p.name} · Ambulo</title></svelte:head>

<div class="page">
  <section class="timeline">
    <header>
      <h1>{p.name}</h1>
      <Choice
        label="What the timeline shows"
        options={[
          ['all', 'Everything'],
          ['messages', 'Messages and reactions'],
          ['texts', 'Texts'],
          ['theirs', 'What they did']
        ] as const}
        bind:chosen={kinds}
      />
    </header>
    <div class="tools">
      <form
        class="note"
        method="post"
        action="?/note"
        use:enhance={() =>
          async ({ update }) => {
            await update();
          }}
      >
        <TextInput size="sm" hideLabel labelText="A note" placeholder="A note on them" name="words" maxlength={2000} />
        <Button size="small" kind="tertiary" type="submit">Add the note</Button>
        <Button size="small" kind="ghost" type="submit" formaction="?/task">As a task, by</Button>
        <TextInput size="sm" type="date" hideLabel labelText="Day by which the task is due" name="due" />
      </form>
      <TextInput
        size="sm"
        hideLabel
        labelText="Find in the timeline"
        placeholder="Find in the timeline"
        bind:value={find}
      />
    </div>
    {#if form && 'problem' in form && form.problem}<p class="problem" role="alert">{form.problem}</p>{/if}
    {#if p.aside}
      <div class="aside" role="status">
        <p>
          <strong>Set aside.</strong> Their work failed, and waits; all others go on. {p.aside.error} ·
          {p.aside.attempts === 1 ? '1 try' : `${p.aside.attempts} tries`} so far.
        </p>
        <form method="post" action="?/aside" use:enhance><button class="act">Try again</button></form>
      </div>
    {/if}
    {#if kinds === 'texts'}
      {#if data.mute === null}
        <form
          class="answer"
          method="post"
          action="?/say"
          use:enhance={() =>
            async ({ update, result }) => {
              await update({ reset: result.type === 'success' });
              if (result.type === 'success') once = crypto.randomUUID();
            }}
        >
          <input type="hidden" name="once" value={once} />
          <TextInput
            size="sm"
            hideLabel
            labelText="Your answer, by text"
            placeholder="Answer {p.name} by text"
            name="words"
            maxlength={480}
          />
          <Button size="small" type="submit">Send the text</Button>
        </form>
      {:else}<p class="soft">{data.mute}</p>{/if}
    {/if}
    <Timeline person={p.id} timeline={p.timeline} {kinds} {find} {elsewhere} />
  </section>
  <aside>
    <h2>Address</h2>
    <dl>
      <dt>Email</dt>
      <dd>
        {p.email ?? 'none'}{@render suppressed(p.email)}
      </dd>
      <dt>Phone</dt>
      <dd>{p.phone ?? 'none'}{@render suppressed(p.phone)}</dd>
      <dt>Zone</dt>
      <dd>
        {p.zone ?? `the workspace’s, ${format.zone}`}{#if elsewhere}<small
            >{format.time(data.now, elsewhere)} there now</small
          >{/if}
      </dd>
    </dl>
    {#each p.others as o (o.address)}
      <div class="other">
        also {o.address} <small>since {format.date(o.since)}</small>
        <div>
          <form method="post" action="?/field" use:enhance>
            <input type="hidden" name="name" value={o.channel === 'email' ? 'email' : 'phone'} />
            <input type="hidden" name="value" value={o.address} /><button class="act">Write to this one</button>
          </form>
          <form method="post" action="?/removeAddress" use:enhance>
            <input type="hidden" name="address" value={o.address} /><button class="act">Not theirs</button>
          </form>
        </div>
      </div>
    {/each}
    {#each data.maybe as m (m)}
      <p><a href="/people/doubles?a={p.id}&b={m}">They may be in here twice: compare</a></p>
    {/each}
    {#if p.lifted}<p class="soft">
        Suppression lifted by {p.lifted.by} on {format.date(p.lifted.at)}: {p.lifted.reason}
      </p>{/if}
    <h2>Consent</h2>
    <Consents consents={p.consents} history={data.consents} />
    <h2>Tags <span class="soft">{p.tags.length}</span></h2>
    <ul class="tags">
      {#each p.tags as t (t.tag)}
        <li>
          <span>{t.tag}</span><small>{format.date(t.since)}</small>
          <form method="post" action="?/tag" use:enhance>
            <input type="hidden" name="tag" value={t.tag} /><input type="hidden" name="on" value="no" /><button
              class="act"
              aria-label="Take off {t.tag}">Take off</button
            >
          </form>
        </li>
      {/each}
    </ul>
    <form class="line" method="post" action="?/tag" use:enhance>
      <Suggest name="tag" label="Tag to put on" placeholder="a tag" known={data.tags} value="" />
      <Button size="small" kind="tertiary" type="submit">Put on</Button>
    </form>
    <h2>Scores and rungs</h2>
    <Engaged engaged={data.engaged} />
    <h2>Journeys <span class="soft">{p.walks.length}</span></h2>
    <ul>
      {#each p.walks as w (w.id)}
        <li>
          <a href="/journeys/{w.key}?view=watch{w.step ? `&step=${w.step}` : ''}">{w.journey}</a>
          <small>
            {#if data.coming[w.id]}{data.coming[w.id]?.here}{data.coming[w.id]?.next
                ? ` · then ${data.coming[w.id]?.next}`
                : ''} ·
            {/if}{w.state === 'walking' ? (w.standing === 'held' ? 'held' : 'walking') : w.state}{w.reason
              ? `, ${w.reason}`
              : ''} · since {format.date(w.entered)}{w.due ? ` · moves on ${format.dateTime(w.due)}` : ''}{w.goal
              ? ' · reached the goal'
              : ''}
          </small>
          {#if w.state === 'walking'}
            <span class="acts">
              {#if w.standing === 'wait' && w.step}
                <form method="post" action="?/hurry" use:enhance>
                  <input type="hidden" name="walk" value={w.id} /><input type="hidden" name="step" value={w.step} />
                  <button class="act" aria-label="Skip the wait in {w.journey}">Skip the wait</button>
                </form>
              {/if}
              <form method="post" action="?/leave" use:enhance>
                <input type="hidden" name="journey" value={w.key} />
                <button class="act" aria-label="Take out of {w.journey}">Take out</button>
              </form>
            </span>
          {/if}
        </li>
      {:else}<li class="soft">In none so far</li>{/each}
    </ul>
    {#if data.live.length}
      <form class="line" method="post" action="?/enter" use:enhance>
        <Pick
          name="journey"
          label="Journey to put them in"
          options={data.live.map((j) => [j.key, j.name] as const)}
          value={data.live[0]?.key ?? ''}
        />
        <Button size="small" kind="tertiary" type="submit">Put in</Button>
      </form>
      <div class="line">
        <Pick
          label="Journey to ask about"
          options={[['', 'why not in …'] as const, ...data.live.map((j) => [j.key, j.name] as const)]}
          value={asking}
          onchange={(key) => (asking = key)}
        />
      </div>
      {#if asking}<Why from="/api/people/{p.id}/not-in/{asking}" />{/if}
    {/if}
    <h2>Fields</h2>
    <Facts {facts} types={data.types} history={data.facts} cameWith={p.cameWith} />
    <h2>Their data</h2>
    <Erase id={p.id} address={p.email ?? p.phone ?? ''} counts={data.held} />
  </aside>
</div>

<style>
  .tools {
    display: grid;
    grid-template-columns: 1fr 190px;
    gap: 16px;
    margin-bottom: 10px;
  }
  .answer,
  .note {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
  }
  .note {
    grid-template-columns: 1fr auto auto 136px;
  }
  .note :global(.bx--btn),
  .line :global(.bx--btn) {
    flex: none;
    min-width: 0;
    padding-right: 14px;
  }
  .other {
    overflow-wrap: anywhere;
  }
  .other div {
    display: flex;
    gap: 12px;
  }
  .answer {
    margin-bottom: 10px;
  }
  .acts {
    display: flex;
    gap: 12px;
  }
  .suppressed {
    display: block;
  }
  .line.lift {
    grid-template-columns: 1fr;
    margin: 4px 0 8px;
  }
  .aside form {
    flex: none;
    white-space: nowrap;
  }
  .aside {
    display: flex;
    gap: 12px;
    justify-content: space-between;
    align-items: baseline;
    margin-bottom: 10px;
    padding: 8px 12px;
    background: var(--attention-ground);
    border: 1px solid var(--attention);
  }
  .page {
    display: grid;
    grid-template-columns: 1fr 300px;
    flex: 1;
  }
  .timeline {
    padding: 18px 24px;
    min-width: 0;
  }
  header {
    display: flex;
    justify-content: space-between;
    align-items: center;
    margin-bottom: 10px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  dd small,
  li small {
    display: block;
    color: var(--ink-soft);
    font-size: 12px;
  }
  aside {
    padding: 18px 16px;
    background: var(--surface);
    border-left: 1px solid var(--rule);
  }
  h2 {
    margin: 16px 0 4px;
    font-size: 12.5px;
    font-weight: 700;
  }
  h2:first-child {
    margin-top: 0;
  }
  dl {
    display: grid;
    grid-template-columns: 84px 1fr;
    gap: 3px 8px;
  }
  dt {
    color: var(--ink-soft);
  }
  dd {
    overflow-wrap: anywhere;
  }
  aside ul {
    list-style: none;
  }
  aside li {
    padding: 3px 0;
  }
  .tags li {
    display: grid;
    grid-template-columns: 1fr auto auto;
    gap: 10px;
    align-items: baseline;
  }
  .line {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
    margin-top: 6px;
  }
  .line input,
  .bad,
  .problem {
    color: var(--failure);
  }
  .problem {
    margin-bottom: 10px;
  }
</style>
