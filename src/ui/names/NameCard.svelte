<!-- One tag, list or field: what it is for, where it is used, and what can be done with it. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button, TextArea, TextInput } from 'carbon-components-svelte';
  import type { CatalogueLine, Use } from '$server/names/catalogue.ts';
  import type { Renamable } from '$server/names/rename.ts';
  import type { TypeChange } from '$server/names/types.ts';
  import { number, plural } from '$core/tell/words.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { TYPES } from './types.ts';

  interface Props {
    kind: Renamable;
    line: CatalogueLine;
    names: string[];
    preview: { name: string; type: string; options: string[]; change: TypeChange } | null;
  }
  let { kind, line, names, preview }: Props = $props();
  // svelte-ignore state_referenced_locally
  let to = $state(line.name);
  // svelte-ignore state_referenced_locally
  let type = $state<string>(line.type ?? 'text');
  const merges = $derived(to !== line.name && names.includes(to.trim()));
  const used = $derived([...new Set([...line.sets, ...line.reads].map((u) => u.key))].length);
  const people = $derived(
    `${number(line.people)}${line.more ? ' or more' : ''} ${line.people === 1 ? 'person' : 'people'}`
  );
  const hrefOf = (u: Use): string =>
    u.kind === 'journey'
      ? `/journeys/${u.key}${u.step ? `?step=${u.step}` : ''}`
      : u.kind === 'segment'
        ? '/people'
        : '/settings';
</script>

{#snippet list(title: string, uses: Use[])}
  <h3>{title}</h3>
  {#if uses.length}
    <ul>
      {#each uses as u (`${u.kind} ${u.key}`)}
        <li><a href={hrefOf(u)}>{u.name}</a> <span class="soft">{u.kind === 'journey' ? '' : u.kind}</span></li>
      {/each}
    </ul>
  {:else}<p class="soft">nowhere</p>{/if}
{/snippet}

<section aria-label={line.name}>
  <h2>{line.name}</h2>
  <p class="soft">
    {people}{line.formerly.length ? ` · called ${line.formerly.join(', ')} before` : ''}
  </p>
  <div class="two">
    <div>{@render list('Set in', line.sets)}</div>
    <div>{@render list('Read in', line.reads)}</div>
  </div>
  {#if kind === 'field'}
    {#if line.values.length}
      <h3>What most have</h3>
      <ul>
        {#each line.values as v (v.value)}<li>
            {v.value || '(empty)'} <span class="soft">{number(v.people)}</span>
          </li>{/each}
      </ul>
      <p class="soft">Among the 2,000 people who came last.</p>
    {/if}
    <form
      method="post"
      action="?/type"
      use:enhance={() =>
        ({ update }) =>
          update({ reset: false })}
    >
      <input type="hidden" name="name" value={line.name} />
      <Pick label="Type" shown options={TYPES} value={type} name="type" onchange={(t) => (type = t)} />
      {#if type === 'choice' || type === 'choices'}
        <TextArea
          rows={3}
          name="options"
          labelText="What it may be, one a line, in order"
          value={line.options.join('\n')}
        />
      {:else}<input type="hidden" name="options" value="" />{/if}
      {#if type === 'date' || type === 'instant'}
        <Pick
          label="Dates with the year last"
          shown
          name="dates"
          options={[
            ['day first', 'day first'],
            ['month first', 'month first']
          ]}
          value="day first"
        />
      {:else if type === 'number'}
        <Pick
          label="Before decimals"
          shown
          name="decimal"
          options={[
            ['.', 'a point'],
            [',', 'a comma']
          ]}
          value="."
        />
      {/if}
      <Button kind="tertiary" size="small" type="submit">See what becomes of the values</Button>
      {#if preview?.name === line.name}
        <div class="preview" data-testid="type-preview">
          <p>
            {plural(preview.change.fits, 'value fits', 'values fit')},
            <strong>{plural(preview.change.lost, 'is lost', 'are lost')}</strong>.
          </p>
          <ul>
            {#each preview.change.examples as e (e.value)}
              <li>
                {e.value} <span class="soft">({number(e.people)})</span> → {#if e.becomes === null}<strong>lost</strong
                  >{:else}{e.becomes}{/if}
              </li>
            {/each}
          </ul>
          <Button kind={preview.change.lost ? 'danger' : 'primary'} size="small" type="submit" name="go" value="1"
            >Change the type{preview.change.lost ? `, losing ${number(preview.change.lost)}` : ''}</Button
          >
        </div>
      {/if}
    </form>
  {:else}
    <form
      method="post"
      action="?/describe"
      use:enhance={() =>
        ({ update }) =>
          update({ reset: false })}
    >
      <input type="hidden" name="kind" value={kind} />
      <input type="hidden" name="name" value={line.name} />
      <TextArea
        rows={2}
        name="note"
        labelText={kind === 'tag' ? 'What it says of people' : 'What the list is for'}
        value={line.note}
      />
      {#if kind === 'list'}
        <Pick
          label="Joining"
          shown
          name="optIn"
          options={[
            ['', 'not said'],
            ['single', 'at once'],
            ['double', 'once they confirm']
          ]}
          value={line.optIn ?? ''}
        />
      {/if}
      <Button kind="tertiary" size="small" type="submit">Save</Button>
    </form>
  {/if}
  <form
    method="post"
    action="?/rename"
    use:enhance={() =>
      ({ update }) =>
        update({ reset: false })}
  >
    <input type="hidden" name="kind" value={kind} />
    <input type="hidden" name="name" value={line.name} />
    <TextInput size="sm" name="to" labelText="Call it" bind:value={to} />
    {#if to.trim() !== line.name && to.trim() !== ''}
      <p class="preview">
        {merges ? `It becomes one with “${to.trim()}”, for good: ` : ''}{people}, {plural(used, 'journey', 'journeys')} and
        settings say “{to.trim()}” from then on. Files and programs that say “{line.name}” mean it still. Nothing goes
        out while it is done, seconds at most.
      </p>
      <Button kind={merges ? 'danger' : 'primary'} size="small" type="submit"
        >{merges ? 'Make them one' : 'Rename everywhere'}</Button
      >
    {/if}
  </form>
  <form method="post" action="?/remove" use:enhance>
    <input type="hidden" name="kind" value={kind} />
    <input type="hidden" name="name" value={line.name} />
    {#if used}
      <p class="soft">It can be taken away once nothing uses it.</p>
    {:else}
      <Button kind="danger-tertiary" size="small" type="submit">Take it away from {people}</Button>
    {/if}
  </form>
</section>

<style>
  section {
    padding: 12px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  h2 {
    font-size: 16px;
    font-weight: 700;
    overflow-wrap: anywhere;
  }
  h3 {
    margin-top: 8px;
    font-size: 13px;
    font-weight: 650;
  }
  ul {
    margin: 0;
    padding: 0;
    font-size: 13.5px;
    list-style: none;
  }
  li {
    padding: 1px 0;
    overflow-wrap: anywhere;
  }
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 12px;
  }
  form {
    display: grid;
    gap: 8px;
    justify-items: start;
    margin-top: 12px;
    padding-top: 10px;
    border-top: 1px solid var(--rule-soft);
  }
  .preview {
    padding: 6px 10px;
    font-size: 13.5px;
    background: var(--attention-ground);
    border: 1px solid var(--attention-rule);
  }
</style>
