<!-- Something that people may do, as a form: what, and with what. Filters that it does not ask about are told in words and kept. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { HappeningFilter } from '$core/condition/happening.ts';
  import type { Step } from '$core/steps/index.ts';
  import { kindOf } from '$core/steps/index.ts';
  import { heading } from '$core/tell/words.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';
  import { send } from '$ui/api.ts';
  import { ABOUT, asking, HEARD, type Heard } from './happening.ts';
  import { inputText, type Nameable } from './panels/panel.ts';

  interface Props {
    happening: HappeningFilter;
    known: Nameable;
    /** Among what all journeys share: of any message, whichever journey sent it. */
    shared?: boolean;
    onchange: (happening: HappeningFilter) => void;
  }
  let { happening: h, known, shared = false, onchange }: Props = $props();

  const heard = $derived(HEARD.find(([name]) => name === h.happening)?.[0] ?? null);
  const about = $derived(heard && ABOUT[heard]);
  /** Those that can be asked about, with any of them; one that is not here stays what it is. */
  const steps = (all: Step[], any: string): (readonly [string, string])[] => {
    const named = [['', any] as const, ...all.map((s) => [s.key, kindOf(s).card(s).title] as const)];
    const of = h.of ?? '';
    return named.some(([key]) => key === of) ? named : [...named, [of, of] as const];
  };
  const PLAIN_WORDS = { product: 'Product', form: 'Form', url: 'Page', name: 'Name' } as const;
  /** Of the type that it looks like. */
  function setTo(text: string): void {
    const number = Number(text);
    const to =
      text === ''
        ? undefined
        : text === 'yes' || text === 'no'
          ? text === 'yes'
          : Number.isFinite(number)
            ? number
            : text;
    onchange({ ...h, to });
  }
  /** Messages of another journey, where it is one of theirs that is heard of. */
  let others = $state.raw<{ journey: string; messages: { key: string; title: string }[] } | null>(null);
  $effect(() => {
    const { journey } = h;
    if (about !== 'message' || journey === undefined) return;
    let over = false;
    void send<{ messages: { key: string; title: string }[] }>('GET', `/api/journeys/${journey}/messages`).then(
      (answer) => {
        if (!over && answer.ok) others = { journey, messages: answer.data.messages };
      }
    );
    return () => {
      over = true;
    };
  });
  /** Those of another journey, with any of them; the one that is chosen stays, also before they are known. */
  const theirs = $derived.by((): (readonly [string, string])[] => {
    const known = others?.journey === h.journey ? (others?.messages ?? []) : [];
    const named = [['', 'any message'] as const, ...known.map((m) => [m.key, m.title] as const)];
    const of = h.of ?? '';
    return named.some(([key]) => key === of) ? named : [...named, [of, of] as const];
  });
  const setOf = (of: string): void => onchange({ ...h, of: of || undefined });
</script>

{#if heard}
  <Pick
    label="What happens"
    options={shared
      ? HEARD.map(([what, words]) => [what, ABOUT[what] === 'message' ? words.replace(/ (of|from|about)$/, '') : words])
      : HEARD}
    value={heard}
    onchange={(name: Heard) => onchange(asking(name, h, known))}
  />
  {#if about === 'message'}
    {#if !shared}
      <Pick
        label="Of which journey"
        options={[
          ['', 'of this journey, or any'] as const,
          ...known.journeys.map((j) => [j.key, `of ${j.name}`] as const)
        ]}
        value={h.journey ?? ''}
        onchange={(journey) => onchange({ ...h, journey: journey || undefined, of: undefined })}
      />
      <Pick
        label="Which message"
        options={h.journey === undefined ? steps(known.messages, 'any message') : theirs}
        value={h.of ?? ''}
        onchange={setOf}
      />
    {/if}
    {#if heard === 'clicked'}
      <TextInput
        size="sm"
        labelText="This link only (empty: any)"
        value={h.link ?? ''}
        on:input={(e) => onchange({ ...h, link: inputText(e).trim() || undefined })}
      />
    {:else if heard === 'replied'}
      <TextInput
        size="sm"
        labelText="With one of these words (commas; empty: anything)"
        value={(h.matches ?? []).join(', ')}
        on:change={(e) => {
          const matches = inputText(e)
            .split(',')
            .map((m) => m.trim())
            .filter(Boolean);
          onchange({ ...h, matches: matches.length ? matches : undefined });
        }}
      />
    {/if}
  {:else if about === 'task'}
    <Pick label="Which task" options={steps(known.tasks, 'any task')} value={h.of ?? ''} onchange={setOf} />
  {:else if about === 'tag' || about === 'list' || about === 'segment' || about === 'field'}
    <Suggest
      label={heading(about)}
      placeholder={about}
      known={known[`${about}s`]}
      value={h[about] ?? ''}
      onchange={(name) => onchange({ ...h, [about]: name.trim() })}
    />
    {#if about === 'field'}
      <TextInput
        size="sm"
        labelText="and becomes (empty: anything)"
        value={String(h.to ?? '')}
        on:change={(e) => setTo(inputText(e).trim())}
      />
    {/if}
  {:else if about === 'score'}
    <div class="two">
      <Suggest
        label="Score"
        placeholder="score"
        known={known.scores}
        value={h.score ?? ''}
        onchange={(score) => onchange({ ...h, score: score.trim() })}
      />
      <TextInput
        size="sm"
        hideLabel
        type="number"
        labelText="Points"
        value={h.points ?? 0}
        on:input={(e) =>
          Number.isFinite(Number(inputText(e) || NaN)) && onchange({ ...h, points: Number(inputText(e)) })}
      />
    </div>
  {:else if about === 'rung'}
    <Suggest
      label="Rung"
      placeholder="any rung"
      known={known.rungs}
      value={String(h.to ?? '')}
      onchange={(to) => onchange({ ...h, to: to.trim() || undefined })}
    />
  {:else if about === 'journey'}
    <Pick
      label="Journey"
      options={[['', 'any journey'] as const, ...known.journeys.map((j) => [j.key, j.name] as const)]}
      value={h.journey ?? ''}
      onchange={(journey) => onchange({ ...h, journey: journey || undefined })}
    />
  {:else if about === 'consent'}
    <div class="two">
      <Pick
        label="Channel"
        options={[
          ['', 'any channel'],
          ['email', 'email'],
          ['sms', 'text']
        ]}
        value={h.channel ?? ''}
        onchange={(channel) => onchange({ ...h, channel: channel === '' ? undefined : channel })}
      />
      <Pick
        label="What it becomes"
        options={[
          ['', 'in any way'],
          ['given', 'given'],
          ['pending', 'asked for'],
          ['withdrawn', 'withdrawn']
        ]}
        value={String(h.to ?? '')}
        onchange={(to) => onchange({ ...h, to: to || undefined })}
      />
    </div>
  {:else if about}
    <TextInput
      size="sm"
      hideLabel
      labelText={PLAIN_WORDS[about]}
      placeholder={about === 'name' ? 'its name' : `any ${PLAIN_WORDS[about].toLowerCase()}`}
      value={String(h[about] ?? '')}
      on:input={(e) => {
        const text = inputText(e).trim();
        if (about !== 'name' || text) onchange({ ...h, [about]: text || undefined });
      }}
    />
  {/if}
{/if}

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
  }
</style>
