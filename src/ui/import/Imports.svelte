<!-- The last imports: what they did, and where each is looked at. -->
<script lang="ts">
  import type { ImportLine } from '$server/imports/imports.ts';
  import { number } from '$core/tell/words.ts';
  import { useFormat } from '$ui/format.ts';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import { stateWords } from './words.ts';

  let { imports }: { imports: ImportLine[] } = $props();
  const format = useFormat();
</script>

<p class="save">
  <SaveTable
    name="imports"
    rows={() =>
      imports.map((i) => ({
        file: i.name,
        begun: new Date(i.at).toISOString(),
        by: i.by,
        new: i.made,
        changed: i.updated,
        refused: i.refused,
        state: stateWords(i)
      }))}
  />
</p>
<table class="figures">
  <thead>
    <tr>
      <th>File</th><th>Begun</th><th>By</th><th class="number">New</th><th class="number">Changed</th><th class="number"
        >Refused</th
      ><th>State</th>
    </tr>
  </thead>
  <tbody>
    {#each imports as i (i.id)}
      <tr>
        <td><a href="/people/import/{i.id}">{i.name}</a></td>
        <td>{format.dateTime(i.at)}</td>
        <td>{i.by}</td>
        <td class="number">{number(i.made)}</td>
        <td class="number">{number(i.updated)}</td>
        <td class="number">{number(i.refused)}</td>
        <td>{stateWords(i)}</td>
      </tr>
    {/each}
  </tbody>
</table>

<style>
  table {
    width: 100%;
  }
  .save {
    float: right;
    margin-top: -26px;
  }
</style>
