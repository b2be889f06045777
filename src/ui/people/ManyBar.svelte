<!-- Something done with everybody whom the table shows, or with those ticked: said in numbers before. -->
<script lang="ts">
  import { Button, TextInput } from 'carbon-components-svelte';
  import { plural, number } from '$core/tell/words.ts';
  import type { Change, Selection } from '$server/selection/selection.ts';
  import type { SelectedCount } from '$server/people/counting.ts';
  import type { KnownNames } from '$server/people/names.ts';
  import { invalidateAll } from '$app/navigation';
  import { send } from '$ui/api.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';

  interface Props {
    selection: Selection;
    /** Whom that is, in words. */
    whom: string;
    known: KnownNames;
    journeys: { key: string; name: string }[];
    onclose: () => void;
  }
  let { selection, whom, known, journeys, onclose }: Props = $props();

  type Act = Change['act'];
  const ACTS: readonly (readonly [Act, string])[] = [
    ['add tag', 'put a tag on'],
    ['remove tag', 'take a tag off'],
    ['add list', 'put on a list'],
    ['remove list', 'take off a list'],
    ['set field', 'set a field'],
    ['enter', 'put into a journey'],
    ['end', 'take out of a journey'],
    ['add points', 'give points'],
    ['erase', 'erase']
  ];
  /** What is said of those whom it concerns. */
  const OF: Record<Act, string> = {
    'add tag': 'do not have it yet',
    'remove tag': 'have it',
    'add list': 'are not on it yet',
    'remove list': 'are on it',
    'set field': 'have another value, or none; it cannot be taken back as a whole',
    enter: 'are asked in; the journey’s own rules say who enters',
    end: 'are in it',
    'add points': 'get them, within what the score allows; it cannot be taken back as a whole',
    erase: 'are gone for good, but for hashes that prove their consent; type erase'
  };
  let act = $state<Act>('add tag');
  let name = $state('');
  let value = $state('');
  let count = $state.raw<SelectedCount | null>(null);
  let problem = $state('');
  let busy = $state(false);
  const COUNT_AFTER_MS = 250;

  const ofJourney = $derived(act === 'enter' || act === 'end');
  const change = $derived.by((): Change | null => {
    const named = name.trim();
    if (act === 'erase') return { act };
    if (!named) return null;
    if (act === 'add points') {
      const points = Number(value.trim().replace(',', '.'));
      return value.trim() && Number.isFinite(points) && points !== 0 ? { act, score: named, points } : null;
    }
    if (act === 'add tag' || act === 'remove tag') return { act, tag: named };
    if (act === 'add list' || act === 'remove list') return { act, list: named };
    if (act === 'set field') return value.trim() ? { act, field: named, value: value.trim() } : null;
    return journeys.some((j) => j.key === named) ? { act, journey: named } : null;
  });
  const said = $derived(ACTS.find(([a]) => a === act)?.[1] ?? '');

  $effect(() => {
    const asked = { selection, change };
    count = null;
    problem = '';
    let over = false;
    const timer = setTimeout(async () => {
      const answer = await send<SelectedCount>('POST', '/api/people/selected', asked);
      if (over) return;
      if (answer.ok) count = answer.data;
      else problem = answer.message;
    }, COUNT_AFTER_MS);
    return () => {
      over = true;
      clearTimeout(timer);
    };
  });

  async function doIt(): Promise<void> {
    if (!change || busy) return;
    busy = true;
    const answer = await send<{ id: number }>('POST', '/api/people/many', {
      selection,
      change,
      expected: count?.concerned ?? 0
    });
    busy = false;
    if (!answer.ok) return void (problem = answer.message);
    onclose();
    await invalidateAll();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions (Escape closes it) -->
<section aria-label="With all of them" onkeydown={(e) => e.key === 'Escape' && onclose()}>
  <p><strong>{whom}</strong></p>
  <div class="what">
    <Pick label="What is done" options={ACTS} value={act} onchange={(a) => ((act = a), (name = ''), (value = ''))} />
  </div>
  <div class="what">
    {#if ofJourney}
      <Pick
        label="Journey"
        options={[['', 'which journey?'], ...journeys.map((j) => [j.key, j.name] as const)]}
        value={name}
        onchange={(key) => (name = key)}
      />
    {:else if act === 'erase'}
      <TextInput size="sm" hideLabel labelText="Type erase" placeholder="type erase" bind:value />
    {:else if act === 'add points'}
      <Suggest
        label="Score"
        known={known.scores}
        value={name}
        placeholder="which score?"
        onchange={(text) => (name = text)}
      />
    {:else if act === 'set field'}
      <Suggest
        label="Field"
        known={known.fields}
        value={name}
        placeholder="which field?"
        onchange={(text) => (name = text)}
      />
    {:else}
      <Suggest
        label={act.endsWith('tag') ? 'Tag' : 'List'}
        known={act.endsWith('tag') ? known.tags : known.lists}
        value={name}
        placeholder={act.endsWith('tag') ? 'which tag?' : 'which list?'}
        onchange={(text) => (name = text)}
      />
    {/if}
  </div>
  {#if act === 'set field' || act === 'add points'}
    <div class="what">
      <TextInput
        size="sm"
        hideLabel
        labelText={act === 'set field' ? 'What it becomes' : 'Points'}
        placeholder={act === 'set field' ? 'what it becomes' : 'points, as 5 or -5'}
        bind:value
        maxlength={2000}
      />
    </div>
  {/if}
  <p class="soft number" role="status">
    {#if problem}<span class="problem">{problem}</span>
    {:else if count && change}
      {count.exact ? '' : 'about '}{number(count.concerned)} of {number(count.people)}
      {OF[act]}
    {:else if count}{count.exact ? '' : 'about '}{plural(count.people, 'person', 'people')}{/if}
  </p>
  <Button
    size="small"
    disabled={!change ||
      busy ||
      (count?.concerned ?? 0) === 0 ||
      (act === 'erase' && value.trim().toLowerCase() !== 'erase')}
    on:click={() => void doIt()}
  >
    {change && count
      ? `${said.charAt(0).toUpperCase()}${said.slice(1)}: ${plural(count.concerned, 'person', 'people')}`
      : 'Say what'}
  </Button>
  <button class="act" onclick={onclose}>Leave it</button>
</section>

<style>
  section {
    display: flex;
    gap: 12px;
    align-items: center;
    margin-bottom: 12px;
    padding: 8px 14px;
    background: var(--attention-ground);
    border: 1px solid var(--rule);
  }
  .what {
    width: 190px;
  }
  .number {
    flex: 1;
  }
  .problem {
    color: var(--failure);
  }
</style>
