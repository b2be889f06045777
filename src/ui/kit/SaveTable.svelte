<!-- A table as it is shown, saved as a file: CSV for spreadsheets, with no cell that they would take for a formula, or NDJSON. -->
<script lang="ts">
  import { stringify } from 'csv-stringify/browser/esm/sync';

  interface Props {
    /** Of the file, without its ending. */
    name: string;
    /** All rows of the table, by the names of its columns; asked for when it is saved. */
    rows: () => Record<string, string | number | null>[];
  }
  let { name, rows }: Props = $props();

  function save(kind: 'csv' | 'ndjson'): void {
    const all = rows();
    const text =
      kind === 'csv'
        ? stringify(all, { header: true, columns: Object.keys(all[0] ?? {}), escape_formulas: true, bom: true })
        : all.map((r) => `${JSON.stringify(r)}\n`).join('');
    const url = URL.createObjectURL(new Blob([text], { type: kind === 'csv' ? 'text/csv' : 'application/x-ndjson' }));
    const link = document.createElement('a');
    [link.href, link.download] = [url, `${name}.${kind}`];
    link.click();
    URL.revokeObjectURL(url);
  }
</script>

<span class="soft save"
  >Save as <button class="act" onclick={() => save('csv')}>CSV</button>,
  <button class="act" onclick={() => save('ndjson')}>NDJSON</button></span
>

<style>
  /* Beside a heading it is no part of it. */
  .save {
    font-size: 12.5px;
    font-weight: 400;
  }
</style>
