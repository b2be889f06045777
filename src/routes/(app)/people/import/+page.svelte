<script lang="ts">
  import { Button, Checkbox, FileUploaderDropContainer, ProgressBar } from 'carbon-components-svelte';
  import Pick from '$ui/kit/Pick.svelte';
  import { send as request } from '$ui/api.ts';
  import { plural, number } from '$core/tell/words.ts';
  import type { PageData } from './$types';

  interface Looked {
    name: string;
    header: string[];
    targets: string[];
    rows: number;
    made: number;
    updated: number;
    refused: { line: number; column: string | null; found: string; reason: string }[];
    refusedTotal: number;
    tags: string[];
    preview: { line: number; cells: string[] }[];
  }
  interface Progress {
    done: number;
    total: number;
    made: number;
    updated: number;
    keptWithdrawn: number;
    end?: boolean;
  }

  let { data }: { data: PageData } = $props();
  let file = $state<File | null>(null);
  /** The file as the server keeps it. */
  let upload = $state('');
  let looked = $state<Looked | null>(null);
  let targets = $state<string[]>([]);
  let begins = $state(true);
  let problem = $state('');
  /** What is going on before anything is imported: bytes that have arrived, or rows looked at. */
  let busy = $state<{ what: 'upload' | 'look'; done: number; of: number } | null>(null);
  let progress = $state<Progress | null>(null);
  let stopper = $state.raw<AbortController | null>(null);

  const OWN = [
    ['email', 'email address'],
    ['phone', 'phone number'],
    ['first_name', 'first name'],
    ['last_name', 'last name'],
    ['zone', 'time zone'],
    ['tags', 'tags, with ;'],
    ['lists', 'lists, with ;'],
    ['consent_email', 'consent for email'],
    ['consent_sms', 'consent for text']
  ] as const;
  const isNew = (target: string): boolean => target.startsWith('field:') && !data.fields.includes(target.slice(6));
  const fieldsFor = (i: number): string[] =>
    [...new Set([looked?.targets[i] ?? '', ...data.fields.map((f) => `field:${f}`)])].filter(
      (t) => t.startsWith('field:') && !OWN.some(([own]) => `field:${own}` === t)
    );

  const choicesFor = (i: number): [string, string][] => [
    ...OWN.map(([target, words]): [string, string] => [target, words]),
    ...fieldsFor(i).map((t): [string, string] => [t, `field ${t.slice(6)}${isNew(t) ? ' (new)' : ''}`]),
    ['ignore', 'leave out']
  ];

  /** Sends the file in parts; false where it was refused or stopped. */
  async function send(chosen: File, signal: AbortSignal): Promise<boolean> {
    busy = { what: 'upload', done: 0, of: chosen.size };
    const begun = await ask<{ id: string; part: number }>('POST', '/api/people/import', {
      name: chosen.name,
      bytes: chosen.size
    });
    if (!begun) return false;
    const { id, part } = begun;
    for (let place = 0; place * part < chosen.size; place++) {
      const bytes = chosen.slice(place * part, (place + 1) * part);
      if (!(await ask('PUT', `/api/people/import/${id}/${place}`, bytes, signal))) return false;
      busy = { what: 'upload', done: place * part + bytes.size, of: chosen.size };
    }
    upload = id;
    return true;
  }

  async function ask<T>(method: string, url: string, body: object, signal?: AbortSignal): Promise<T | null> {
    const init =
      body instanceof Blob
        ? { body, headers: { accept: 'application/json', 'content-type': 'application/octet-stream' } }
        : {};
    const answer = await request<T>(method, url, body instanceof Blob ? undefined : body, {
      ...init,
      ...(signal ? { signal } : {})
    });
    if (answer.ok) return answer.data;
    if (!signal?.aborted) problem = answer.message;
    return null;
  }

  /** Posts, and takes what is told line by line; the last line. */
  async function listen<T extends object>(
    url: string,
    body: object,
    signal: AbortSignal,
    take: (told: T) => void
  ): Promise<T | null> {
    const response = await fetch(url, {
      method: 'POST',
      body: JSON.stringify(body),
      headers: { 'content-type': 'application/json', accept: 'application/json' },
      signal
    });
    if (!response.ok || !response.body)
      throw new Error(((await response.json()) as { message?: string }).message ?? 'The server refused it.');
    const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
    let rest = '';
    let last: T | null = null;
    for (let part = await reader.read(); !part.done; part = await reader.read()) {
      const lines = (rest + part.value).split('\n');
      rest = lines.pop() ?? '';
      for (const line of lines) {
        const told = JSON.parse(line) as T & { problem?: string };
        if (told.problem) throw new Error(told.problem);
        take((last = told));
      }
    }
    return last;
  }

  async function look(): Promise<void> {
    problem = '';
    busy = { what: 'look', done: 0, of: 0 };
    stopper = new AbortController();
    try {
      const mapping = targets.length ? { mapping: $state.snapshot(targets) } : {};
      const end = await listen<Looked & { end?: boolean }>(
        `/api/people/import/${upload}/check`,
        mapping,
        stopper.signal,
        (told) => (busy = { what: 'look', done: told.rows, of: 0 })
      );
      if (end?.end) {
        looked = end;
        targets = end.targets;
      }
    } catch (error) {
      if (!stopper.signal.aborted) problem = said(error);
      if (!targets.length) looked = null;
    }
    busy = null;
    stopper = null;
  }

  const said = (error: unknown): string =>
    error instanceof TypeError
      ? 'The server cannot be reached. Nothing was imported; try again in a moment.'
      : (error as Error).message;

  async function choose(chosen: File | undefined): Promise<void> {
    file = chosen ?? null;
    [looked, targets, progress, problem, upload] = [null, [], null, '', ''];
    if (!file) return;
    stopper = new AbortController();
    const arrived = await send(file, stopper.signal);
    busy = null;
    stopper = null;
    if (arrived) await look();
  }

  async function take(i: number, target: string): Promise<void> {
    targets = targets.map((t, n) => (n === i ? target : t));
    await look();
  }

  async function run(): Promise<void> {
    problem = '';
    stopper = new AbortController();
    const total = (looked?.made ?? 0) + (looked?.updated ?? 0);
    progress = { done: 0, total, made: 0, updated: 0, keptWithdrawn: 0 };
    try {
      await listen<Progress>(
        `/api/people/import/${upload}/run`,
        { mapping: $state.snapshot(targets), begins, total },
        stopper.signal,
        (told) => (progress = told)
      );
    } catch (error) {
      problem = stopper.signal.aborted
        ? `Stopped. ${number(progress?.done ?? 0)} rows are in and stay; the rest is not.`
        : said(error);
    }
    stopper = null;
  }

  const MEGABYTE = 1024 * 1024;
</script>

<svelte:head><title>Import people · Ambulo</title></svelte:head>

<div class="page">
  <h1>Import people</h1>
  <p class="soft">
    A CSV file with one person a line and the columns named in the first. Known people, found by email or else by phone,
    are updated; nobody is taken out. Nothing is imported until you say so.
  </p>
  <div class="file">
    <FileUploaderDropContainer
      labelText={file ? file.name : 'Choose a CSV file, or drop it here'}
      accept={['.csv', 'text/csv', 'text/plain']}
      validateFiles={(files) => files}
      on:change={(e) => void choose(e.detail[0])}
    />
  </div>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if busy}
    <div class="busy" role="status">
      {#if busy.what === 'upload'}
        <ProgressBar
          value={busy.done}
          max={Math.max(1, busy.of)}
          labelText="Sending the file"
          helperText="{Math.floor(busy.done / MEGABYTE)} of {Math.ceil(busy.of / MEGABYTE)} MB"
        />
      {:else}
        <span class="soft">Looking at the file: {plural(busy.done, 'row', 'rows')} so far …</span>
      {/if}
      <Button kind="ghost" size="small" on:click={() => stopper?.abort()}>Stop</Button>
    </div>
  {/if}

  {#if looked && !progress}
    <section>
      <h2>Columns</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex (a part that scrolls must be reachable by keyboard) -->
      <div class="scroll" role="region" tabindex="0" aria-label="Columns and the first rows">
        <table class="figures">
          <thead>
            <tr>
              <th scope="col">Line</th>
              {#each looked.header as name, i (i)}
                <th scope="col">
                  {name || '(no name)'}
                  <Pick
                    label="{name} is"
                    options={choicesFor(i)}
                    value={targets[i] ?? ''}
                    onchange={(to) => void take(i, to)}
                  />
                  {#if isNew(targets[i] ?? '')}<small class="new">unknown column: makes a new field</small>{/if}
                </th>
              {/each}
            </tr>
          </thead>
          <tbody>
            {#each looked.preview as row (row.line)}<tr
                ><td class="soft">{row.line}</td>{#each looked.header as _, i (i)}<td
                    class:left={targets[i] === 'ignore'}>{row.cells[i] ?? ''}</td
                  >{/each}</tr
              >{/each}
          </tbody>
        </table>
      </div>
      <p class="soft">The first {looked.preview.length} of {plural(looked.rows, 'row', 'rows')}.</p>
    </section>
    <section>
      <h2>Refused rows <span class="soft" data-testid="refused">{number(looked.refusedTotal)}</span></h2>
      {#if looked.refusedTotal}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex (a part that scrolls must be reachable by keyboard) -->
        <div class="scroll short" role="region" tabindex="0" aria-label="Refused rows">
          <table class="figures">
            <thead><tr><th>Line</th><th>Column</th><th>Found</th><th>Why it is refused</th></tr></thead>
            <tbody
              >{#each looked.refused as r (r.line)}<tr
                  ><td>{r.line}</td><td>{r.column ?? ''}</td><td>{r.found}</td><td>{r.reason}</td></tr
                >{/each}</tbody
            >
          </table>
        </div>
        {#if looked.refusedTotal > looked.refused.length}<p class="soft">
            The first {looked.refused.length} of {number(looked.refusedTotal)}.
          </p>{/if}
      {:else}<p class="soft">None: every row can be imported.</p>{/if}
    </section>
    {#if looked.tags.length}
      <Checkbox
        labelText="Journeys that start from these tags take the people in: {looked.tags.slice(0, 8).join(', ')}{looked
          .tags.length > 8
          ? ' …'
          : ''}"
        bind:checked={begins}
      />
    {/if}
    <div class="go">
      <Button disabled={busy !== null || looked.made + looked.updated === 0} on:click={() => void run()}>
        Import {plural(looked.made + looked.updated, 'person', 'people')}: {number(looked.made)} new, {number(
          looked.updated
        )} updated{looked.refusedTotal ? `, without the ${number(looked.refusedTotal)} refused` : ''}
      </Button>
    </div>
  {/if}

  {#if progress}
    <section role="status">
      <h2>{progress.end ? 'Imported' : stopper ? 'Importing' : 'Stopped'}</h2>
      <ProgressBar
        value={progress.done}
        max={Math.max(1, progress.total)}
        labelText="Rows imported"
        helperText="{number(progress.done)} of {number(progress.total)}"
      />
      <p data-testid="imported">
        {number(progress.made)} new, {number(progress.updated)} updated.{progress.keptWithdrawn
          ? ` ${plural(progress.keptWithdrawn, 'consent stays', 'consents stay')} withdrawn, whatever the file says.`
          : ''}
      </p>
      {#if progress.end}<p><a href="/people">Show the people</a></p>{:else if stopper}<Button
          kind="tertiary"
          size="small"
          on:click={() => stopper?.abort()}>Stop</Button
        >{/if}
    </section>
  {/if}
</div>

<style>
  .file {
    margin-top: 12px;
  }
  .file :global(.bx--file__drop-container) {
    align-items: center;
    height: 3rem;
  }
  .page {
    padding: 20px 24px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  h2 {
    margin-bottom: 6px;
    font-size: 14px;
    font-weight: 700;
  }
  section {
    margin: 0 0 16px;
    padding: 12px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .busy {
    display: flex;
    gap: 16px;
    align-items: center;
    max-width: 520px;
  }
  .scroll {
    overflow: auto;
  }
  .short {
    max-height: 220px;
  }
  td {
    max-width: 200px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .left {
    color: var(--rule-field);
    text-decoration: line-through;
  }
  .new {
    color: var(--attention);
  }
  .problem {
    margin-bottom: 12px;
    padding: 8px 12px;
    color: var(--failure);
    background: var(--failure-ground);
    border-left: 3px solid var(--failure);
  }
  .go {
    margin-top: 14px;
  }
</style>
