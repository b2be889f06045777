<script lang="ts">
  import { Modal } from 'carbon-components-svelte';

  let { onclose }: { onclose: () => void } = $props();
  const keys = [
    ['← →', 'along a lane, from gap to step'],
    ['↑ ↓', 'between lanes'],
    ['Home End', 'first and last place of a lane'],
    ['a letter', 'in a gap: put a step here; the letter begins its name'],
    ['2d, 3 h', 'in a gap: wait so long'],
    ['=day 5', 'in a gap: the next step falls on that day'],
    ['fri 16:00, 12 May', 'in a gap: wait until then; also 2d before a date of theirs'],
    ['Enter', 'edit what is selected; in a gap, choose a step'],
    ['Esc', 'back to the sheet'],
    ['Shift ← →', 'select several steps of a lane'],
    ['Alt ← →', 'move what is selected along its lane'],
    ['Alt ↑ ↓', 'move it to the lane above or below'],
    ['Ctrl C X V D', 'copy, cut, paste, duplicate, with all it holds; as text, so also in other journeys and windows'],
    ['y n', 'in what was copied: right as it is, or change it'],
    ['o', 'turn the step off, or on again: everyone passes over what is off'],
    ['Delete', 'delete the step, or the wait of a gap'],
    ['Ctrl Z, Shift Ctrl Z', 'undo, redo'],
    ['u', 'on a step: on to the next one that is not finished'],
    ['[ ]', 'fold lanes, show them'],
    ['Alt 0 1 2', 'as large as it is; the whole journey in view; what is selected in view'],
    ['Alt 3', 'one lane alone, the others folded; again: all lanes'],
    ['Ctrl K', 'find anything'],
    ['?', 'this list']
  ];
</script>

<Modal open passiveModal modalHeading="Keys of the sheet" size="sm" on:close={onclose}>
  <dl>
    {#each keys as [key, what] (key)}<dt><kbd>{key}</kbd></dt>
      <dd>{what}</dd>{/each}
  </dl>
</Modal>

<style>
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 6px 16px;
  }
  kbd {
    padding: 1px 6px;
    font: inherit;
    font-size: 12.5px;
    background: var(--ground);
    border: 1px solid var(--rule);
  }
</style>
