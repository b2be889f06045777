<script lang="ts">
  import { own } from '$core/own.ts';
  import { enhance } from '$app/forms';
  import { beforeNavigate, goto } from '$app/navigation';
  import { Button, TextInput } from 'carbon-components-svelte';
  import type { LadderSettings, ScoreSettings } from '$core/settings/schema.ts';
  import { durationWords, number, plural } from '$core/tell/words.ts';
  import type { ModelUse } from '$server/engagement/models.ts';
  import { bandsOf, type Band } from '$ui/engagement/bands.ts';
  import Frame from '$ui/people/Frame.svelte';
  import LadderForm from '$ui/engagement/LadderForm.svelte';
  import { Previewing } from '$ui/engagement/previewing.svelte.ts';
  import ScoreForm from '$ui/engagement/ScoreForm.svelte';
  import Standings from '$ui/engagement/Standings.svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const said = $derived(form as { problems?: string[]; gone?: boolean } | null);
  const KINDS = [
    ['ladder', 'Ladders', 'a ladder'],
    ['score', 'Score models', 'a score model']
  ] as const;
  const FRESH: { ladder: LadderSettings; score: ScoreSettings } = {
    ladder: {
      name: '',
      counts: [{ happening: 'opened' }, { happening: 'clicked' }, { happening: 'replied' }],
      rungs: [
        { name: 'warm', upTo: 'P14D' },
        { name: 'cooling', upTo: 'P45D' }
      ],
      after: 'cold'
    },
    score: {
      name: '',
      rules: [
        { when: { happening: 'opened' }, add: 1, atMost: { points: 3, per: 'P1D' } },
        { when: { happening: 'clicked' }, add: 5 }
      ],
      decay: { by: 5, every: 'P30D' },
      floor: 0
    }
  };
  const known = $derived({ ...data.known, messages: [], tasks: [], journeys: data.journeys });
  const begun = $derived(data.model?.definition ?? FRESH[data.kind]);
  /** What is being changed; `null`: nothing yet. */
  let edited = $state.raw<{ of: string; definition: LadderSettings | ScoreSettings } | null>(null);
  const of = $derived(`${data.kind} ${data.fresh ? '' : (data.model?.definition.name ?? '')}`);
  const definition = $derived(edited?.of === of ? edited.definition : begun);
  const changed = $derived(JSON.stringify(definition) !== JSON.stringify(data.model?.definition ?? null));
  const previewing = new Previewing();
  /** The name of what was saved last, here. */
  let saved = $state('');

  $effect(() => {
    const { kind } = data;
    const asked = definition;
    if (asked.name.trim()) previewing.ask(kind, asked);
    return () => previewing.stop();
  });
  const change = (next: LadderSettings | ScoreSettings): void => void (edited = { of, definition: next });
  const bands = $derived.by((): Band[] => {
    const { today = {}, then = {} } = previewing.outlook ?? {};
    if (data.kind === 'score') return bandsOf(today, then);
    const ladder = definition as LadderSettings;
    const names = [...ladder.rungs.map((r) => r.name), ladder.after];
    const gone = Object.keys(today).filter((n) => n !== '' && !names.includes(n));
    return [...new Set([...names, ...gone, ''])].map((name) => ({
      name: name === '' ? 'on none' : name,
      today: own(today, name) ?? 0,
      then: own(then, name) ?? 0
    }));
  });
  const hrefOf = ({ kind, key }: ModelUse): string =>
    kind === 'journey'
      ? `/journeys/${key}`
      : kind === 'segment'
        ? `/people/segments?name=${encodeURIComponent(key)}`
        : `?kind=${kind}&name=${encodeURIComponent(key)}`;
  const hasEdits = $derived(edited?.of === of && changed);
  beforeNavigate(({ cancel }) => {
    if (hasEdits && !confirm('What you changed here is not saved. Leave it?')) cancel();
  });
</script>

<Frame title="Engagement" columns="170px minmax(0, 1fr) 360px">
  {#snippet head()}
    <p class="soft">
      Ladders say how long ago people last did something; scores add up points. Both are worked out from what is on
      record{data.kept ? `, which goes back ${durationWords(data.kept)}` : ''}.
    </p>
    {#if data.looking}
      <p class="looking" role="status">
        Everybody is worked out anew: {number(data.looking.asked)} of {number(data.looking.total)}
        <progress max={data.looking.total} value={data.looking.asked} aria-label="Worked out anew"></progress>
      </p>
    {/if}
  {/snippet}
  {#snippet told()}
    {#if said?.problems}<ul class="problem" role="alert">
        {#each said.problems as p (p)}<li>{p}</li>{/each}
      </ul>{/if}
    {#if saved && !hasEdits}<p class="done" role="status">
        “{saved}” is saved. Everybody is worked out anew; journeys do not hear of it.
      </p>{/if}
    {#if said?.gone}<p class="done" role="status">It is gone.</p>{/if}
  {/snippet}
  <nav aria-label="Ladders and score models">
    {#each KINDS as [kind, title, one] (kind)}
      <h2>{title}</h2>
      <ul>
        {#each data.lines.filter((l) => l.kind === kind) as l (l.name)}
          <li>
            <a
              href="?kind={kind}&name={encodeURIComponent(l.name)}"
              aria-current={!data.fresh && data.kind === kind && data.model?.definition.name === l.name
                ? 'page'
                : undefined}>{l.name}</a
            >
          </li>
        {:else}<li class="soft">none yet</li>{/each}
        <li>
          <a href="?kind={kind}&new" aria-current={data.fresh && data.kind === kind ? 'page' : undefined}>Make {one}</a>
        </li>
      </ul>
    {/each}
  </nav>
  {#if data.model || data.fresh}
    <section class="editor" aria-label={data.kind === 'ladder' ? 'The ladder' : 'The score model'}>
      {#if data.fresh}
        <TextInput
          size="sm"
          labelText="Name of {data.kind === 'ladder' ? 'the ladder' : 'the score'}"
          maxlength={80}
          value={definition.name}
          on:input={(e) => change({ ...definition, name: String(e.detail ?? '') })}
        />
      {:else}<h2>{definition.name}</h2>{/if}
      {#key of}
        {#if data.kind === 'ladder'}<LadderForm ladder={definition as LadderSettings} {known} onchange={change} />
        {:else}<ScoreForm model={definition as ScoreSettings} {known} onchange={change} />{/if}
      {/key}
      <div class="acts">
        <form
          method="post"
          action="?/save"
          use:enhance={() =>
            async ({ update, result }) => {
              await update({ reset: false });
              if (result.type !== 'success') return;
              const { name } = definition;
              saved = name;
              edited = null;
              await goto(`?kind=${data.kind}&name=${encodeURIComponent(name)}`, { invalidateAll: true });
            }}
        >
          <input type="hidden" name="kind" value={data.kind} />
          <input type="hidden" name="revision" value={data.revision} />
          <input type="hidden" name="definition" value={JSON.stringify(definition)} />
          <Button
            size="small"
            type="submit"
            disabled={!changed || !definition.name.trim() || previewing.busy || previewing.problem !== ''}
            >{previewing.outlook && changed && !previewing.busy
              ? `Save: ${plural(previewing.outlook.moved, 'person moves', 'people move')}`
              : 'Save'}</Button
          >
        </form>
        {#if hasEdits}<button class="act" onclick={() => (edited = null)}>Back to what is saved</button>{/if}
        {#if data.model && !data.uses.length && !changed}
          <form method="post" action="?/remove" use:enhance>
            <input type="hidden" name="kind" value={data.kind} />
            <input type="hidden" name="name" value={data.model.definition.name} />
            <input type="hidden" name="revision" value={data.revision} />
            <button class="act">Take it away</button>
          </form>
        {/if}
      </div>
    </section>
    <div>
      <Standings
        outlook={definition.name.trim() ? previewing.outlook : null}
        {bands}
        busy={previewing.busy}
        problem={previewing.problem}
        {changed}
      />
      {#if data.model}
        <section class="uses" aria-label="Used in">
          <h3>Used in</h3>
          <ul>
            {#each data.uses as u (`${u.kind} ${u.key}`)}
              <li><a href={hrefOf(u)}>{u.name}</a> <span class="soft">{u.kind === 'journey' ? '' : u.kind}</span></li>
            {:else}<li class="soft">nowhere</li>{/each}
          </ul>
        </section>
      {/if}
    </div>
  {:else}<p class="soft">Choose one, or make one.</p>{/if}
</Frame>

<style>
  h2 {
    font-size: 14px;
    font-weight: 700;
  }
  h3 {
    font-size: 14px;
    font-weight: 700;
  }
  .looking {
    margin-left: auto;
    white-space: nowrap;
  }
  nav li a {
    display: block;
    padding: 3px 8px;
    text-decoration: none;
  }
  nav h2 {
    padding: 3px 8px;
  }
  nav ul + h2 {
    margin-top: 12px;
  }
  nav .soft {
    padding: 3px 8px;
  }
  nav a[aria-current] {
    font-weight: 650;
    background: var(--action-ground);
  }
  .editor,
  .uses {
    padding: 10px 12px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .uses {
    margin-top: 12px;
  }
  .acts {
    display: flex;
    gap: 16px;
    align-items: center;
    margin-top: 14px;
  }
  .problem {
    margin-bottom: 8px;
    color: var(--failure);
  }
  .done {
    margin-bottom: 8px;
    color: var(--done);
  }
</style>
