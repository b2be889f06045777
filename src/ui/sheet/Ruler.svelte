<!-- The ruler above the lanes: each moment, how much later sending hours make people come, and where loops bring them again. -->
<script lang="ts">
  import type { Journey } from '$core/journey/schema.ts';
  import { behindLoops } from '$core/sheet/behind-loops.ts';
  import { heldUp } from '$core/sheet/held-up.ts';
  import type { Card, Moment, SheetLayout } from '$core/sheet/layout.ts';
  import { durationText } from '$core/time/duration.ts';
  import { durationShort } from '$core/tell/words.ts';
  import { LANES_WIDTH, RULER_HEIGHT } from './view.svelte.ts';

  interface Props {
    journey: Journey;
    layout: SheetLayout;
    /** Figures stand beside the lanes. */
    watched: boolean;
  }
  let { journey, layout, watched }: Props = $props();

  const held = $derived(heldUp(journey));
  const round = $derived(behindLoops(journey));
  const cardsAt = ({ min, max }: Moment): Card[] =>
    layout.cards.filter(({ elapsed }) => elapsed.min === min && elapsed.max === max);

  /** How much later than a moment people can come to it, because of sending hours: "13 h". */
  function lateOf(moment: Moment): string {
    const late = Math.max(0, ...cardsAt(moment).map((card) => held.get(card.step.key) ?? 0));
    return durationShort(durationText(late) ?? '');
  }
  /** Whether whoever goes round again comes to a moment later than it says. */
  const again = (moment: Moment): boolean => round.size > 0 && cardsAt(moment).some(({ step }) => round.has(step.key));
</script>

<div class="head" role="row" style="height: {RULER_HEIGHT}px">
  <div class="corner" role="columnheader" style="width: {LANES_WIDTH}px">
    <span>Lanes</span>{#if watched}<span class="soft">people so far</span>{/if}
  </div>
  {#each layout.moments as m (`${m.min}/${m.max}`)}
    {@const late = lateOf(m)}
    <div class="moment" role="columnheader" style="width: {m.width}px">
      <strong>{m.label}</strong>
      {#if late}<span
          class="soft"
          title="Sending hours hold some messages: those who come at the worst time are here {late} later"
          >to +{late}</span
        >{/if}
      {#if again(m)}<span class="soft" title="Those who go back and round again come here later">or later</span>{/if}
    </div>
  {/each}
</div>

<style>
  .head {
    position: sticky;
    top: 0;
    z-index: 3;
    display: flex;
    background: var(--surface);
    border-bottom: 1px solid var(--ink);
  }
  .corner {
    position: sticky;
    left: 0;
    z-index: 4;
    display: flex;
    flex: none;
    justify-content: space-between;
    align-items: center;
    padding: 0 10px 0 14px;
    color: var(--ink-soft);
    font-size: 12.5px;
    background: var(--surface);
    border-right: 1px solid var(--rule-strong);
    box-sizing: border-box;
  }
  .moment {
    flex: none;
    box-sizing: border-box;
    padding: 9px 8px 0;
    font-size: 13.5px;
    border-right: 1px solid var(--rule);
  }
  .moment .soft {
    margin-left: 6px;
    font-size: 12px;
  }
</style>
