<script lang="ts">
  import { Button, Checkbox, FileUploaderDropContainer, ProgressBar } from 'carbon-components-svelte';
  import { goto } from '$app/navigation';
  import { plural, number } from '$core/tell/words.ts';
  import type { Reading } from '$server/imports/reading.ts';
  import Columns from '$ui/import/Columns.svelte';
  import Imports from '$ui/import/Imports.svelte';
  import Outlook from '$ui/import/Outlook.svelte';
  import Treatment from '$ui/import/Treatment.svelte';
  import { Importing } from '$ui/import/importing.svelte.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { useFormat } from '$ui/format.ts';
  import type { PageData } from './$types';

  let { data }: { data: PageData } = $props();
  const it = new Importing();
  const format = useFormat();

  const ENCODINGS: readonly (readonly [Reading['encoding'], string])[] = [
    ['utf-8', 'UTF-8'],
    ['utf-16le', 'UTF-16 (little end first)'],
    ['utf-16be', 'UTF-16 (big end first)'],
    ['windows-1252', 'Windows, western Europe'],
    ['windows-1250', 'Windows, central Europe'],
    ['windows-1251', 'Windows, Cyrillic'],
    ['windows-1253', 'Windows, Greek'],
    ['windows-1254', 'Windows, Turkish'],
    ['iso-8859-2', 'ISO 8859-2, central Europe'],
    ['iso-8859-15', 'ISO 8859-15, western Europe'],
    ['macintosh', 'Macintosh'],
    ['shift_jis', 'Japanese (Shift JIS)'],
    ['gb18030', 'Chinese (GB 18030)'],
    ['big5', 'Chinese (Big5)'],
    ['euc-kr', 'Korean (EUC-KR)']
  ];
  const DELIMITERS: readonly (readonly [Reading['delimiter'], string])[] = [
    [',', 'commas'],
    [';', 'semicolons'],
    ['\t', 'tabs'],
    ['|', 'upright lines']
  ];
  const MEGABYTE = 1024 * 1024;
  const people = $derived((it.preview?.made ?? 0) + (it.preview?.changed ?? 0));
  const read = (change: Partial<Reading>): void => void (it.plan && it.open({ ...it.plan.reading, ...change }));

  async function begin(): Promise<void> {
    const id = await it.begin();
    if (id !== null) await goto(`/people/import/${id}`);
  }
</script>

<svelte:head><title>Import people · Ambulo</title></svelte:head>

<div class="page">
  <h1>Import people</h1>
  {#if !it.opened}
    <p class="soft">
      A CSV file with one person a line, as spreadsheets and other systems write it. Who is known, by email or else by
      phone, is updated; nobody is taken out. Nothing is imported until you say so, and it can be taken back.
    </p>
  {/if}
  <div class="file">
    <FileUploaderDropContainer
      labelText={it.file ? `${it.file.name} — choose another, or drop it here` : 'Choose a CSV file, or drop it here'}
      accept={['.csv', '.txt', '.tsv', 'text/csv', 'text/plain']}
      validateFiles={(files) => files}
      on:change={(e) => void it.choose(e.detail[0])}
    />
  </div>
  {#if it.problem}<p class="problem" role="alert">{it.problem}</p>{/if}
  {#if it.busy}
    <div class="busy" role="status">
      {#if it.busy.what === 'upload'}
        <ProgressBar
          value={it.busy.done}
          max={Math.max(1, it.busy.of)}
          labelText="Sending the file"
          helperText="{Math.floor(it.busy.done / MEGABYTE)} of {Math.ceil(it.busy.of / MEGABYTE)} MB"
        />
      {:else}
        <span class="soft">Looking at the file: {plural(it.busy.done, 'row', 'rows')} so far …</span>
      {/if}
      <Button kind="ghost" size="small" on:click={() => it.stop()}>Stop</Button>
    </div>
  {/if}

  {#if it.opened && it.plan}
    <div class="beside">
      <section>
        <h2>What it was taken for</h2>
        <div class="reading">
          <Pick
            label="Written in"
            shown
            options={ENCODINGS}
            value={it.plan.reading.encoding}
            onchange={(encoding) => read({ encoding })}
          />
          <Pick
            label="Cells parted by"
            shown
            options={DELIMITERS}
            value={it.plan.reading.delimiter}
            onchange={(delimiter) => read({ delimiter })}
          />
          <Checkbox
            labelText="The first line names the columns"
            checked={it.plan.reading.header}
            on:check={(e) => {
              if (e.detail !== it.plan?.reading.header) read({ header: e.detail });
            }}
          />
        </div>
        {#if it.opened.remembered}
          <p class="soft">
            Matched as the last file with these columns, {format.dateTime(it.opened.remembered)}.
          </p>
        {/if}
        <Columns
          opened={it.opened}
          columns={it.plan.columns}
          fields={data.fields}
          leftOut={it.preview?.leftOut ?? []}
          onchange={(i, change) => it.changeColumn(i, change)}
        />
      </section>
      <section>
        <h2>What happens to them</h2>
        <Treatment plan={it.plan} onchange={(change) => it.change(change)} />
        <h2 class="next">What that does</h2>
        {#if it.preview}
          <Outlook preview={it.preview} stale={it.busy !== null}>
            {#each it.preview.questions as question (question)}<p class="question">{question}</p>{/each}
            <div class="go">
              <Button
                size="field"
                disabled={it.busy !== null || people === 0 || it.preview.questions.length > 0}
                on:click={() => void begin()}
              >
                Import {plural(people, 'person', 'people')}: {number(it.preview.made)} new, {number(it.preview.changed)} changed
              </Button>
            </div>
          </Outlook>
        {:else}
          <p class="soft">{it.busy ? 'Being counted …' : 'The file has to be read first.'}</p>
        {/if}
      </section>
    </div>
  {:else if data.imports.length}
    <section>
      <h2>The last imports</h2>
      <Imports imports={data.imports} />
    </section>
  {/if}
</div>

<style>
  .file {
    margin: 10px 0;
  }
  .file :global(.bx--file__drop-container) {
    align-items: center;
    height: 2.25rem;
  }
  .page {
    padding: 16px 24px;
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
  .next {
    margin-top: 12px;
  }
  section {
    min-width: 0;
    padding: 12px 14px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .beside {
    display: grid;
    grid-template-columns: minmax(0, 1.7fr) minmax(340px, 1fr);
    gap: 12px;
    align-items: start;
  }
  .reading {
    display: grid;
    grid-template-columns: 1fr 1fr auto;
    gap: 12px;
    align-items: end;
    margin-bottom: 8px;
  }
  .busy {
    display: flex;
    gap: 16px;
    align-items: center;
    max-width: 520px;
  }
  .question {
    margin-top: 8px;
    padding: 5px 10px;
    color: var(--attention);
    background: var(--attention-ground);
    border: 1px solid var(--attention-rule);
  }
  .problem {
    margin-bottom: 12px;
    padding: 8px 12px;
    color: var(--failure);
    background: var(--failure-ground);
    border-left: 3px solid var(--failure);
  }
  .go {
    margin-top: 8px;
  }
</style>
