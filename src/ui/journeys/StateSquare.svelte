<script lang="ts">
  import type { JourneyState } from '$server/journeys/journeys.ts';

  let { state }: { state: JourneyState } = $props();
</script>

<span class="state"><i class={state} aria-hidden="true"></i>{state}</span>

<style>
  .state {
    display: inline-flex;
    gap: 7px;
    align-items: center;
  }
  i {
    display: inline-block;
    box-sizing: border-box;
    width: 9px;
    height: 9px;
    border: 1.5px solid var(--action);
  }
  .live {
    background: var(--action);
  }
  .closing {
    background: linear-gradient(90deg, var(--action) 50%, transparent 50%);
  }
  .paused {
    background: repeating-linear-gradient(90deg, var(--action) 0 2px, transparent 2px 4px);
  }
  .draft {
    border-style: dashed;
    border-width: 1px;
    border-color: var(--ink-soft);
  }
  .closed {
    border-color: var(--ink-soft);
  }
</style>
