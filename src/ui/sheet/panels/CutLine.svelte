<!-- Cut points on a line, each a slider: dragged, or moved by the arrow keys. None comes to stand past its neighbour. -->
<script lang="ts">
  let { cuts, onchange }: { cuts: number[]; onchange: (cuts: number[]) => void } = $props();

  let line: HTMLDivElement;
  let dragged = $state<{ at: number; value: number } | null>(null);
  const first = $derived(cuts[0] ?? 0);
  const last = $derived(cuts.at(-1) ?? 1);
  // Room on both sides; held while one is dragged, so that the line does not run away under the pointer.
  const span = $derived(Math.max(last - Math.min(first, 0), Math.abs(last), 1));
  const low = $derived(first < 0 ? first - span * 0.25 : 0);
  const high = $derived(last + span * 0.25);
  const place = (value: number): number => ((value - low) / (high - low)) * 100;
  /** A step that is round for how far the line goes. */
  const grain = $derived(10 ** Math.max(-2, Math.floor(Math.log10((high - low) / 50))));

  /** Between its neighbours, on a round number. */
  function held(at: number, value: number): number {
    const round = Number((Math.round(value / grain) * grain).toFixed(4));
    const [below, above] = [cuts[at - 1], cuts[at + 1]];
    return Math.min(
      above === undefined ? Infinity : above - grain,
      Math.max(below === undefined ? -Infinity : below + grain, round)
    );
  }
  function move(at: number, value: number): void {
    const to = held(at, value);
    if (to !== cuts[at]) onchange(cuts.map((c, i) => (i === at ? to : c)));
  }
  function drag(event: PointerEvent, at: number): void {
    const { left, width } = line.getBoundingClientRect();
    dragged = { at, value: held(at, low + ((event.clientX - left) / width) * (high - low)) };
  }
  function onkeydown(event: KeyboardEvent, at: number): void {
    const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    move(at, (cuts[at] ?? 0) + step * grain);
  }
</script>

<div class="line" bind:this={line}>
  {#each cuts as cut, at (at)}
    {@const shown = dragged?.at === at ? dragged.value : cut}
    <div
      class="cut"
      role="slider"
      tabindex="0"
      aria-label="Cut point {at + 1}"
      aria-valuenow={shown}
      aria-valuemin={cuts[at - 1] ?? low}
      aria-valuemax={cuts[at + 1] ?? high}
      style="left: {place(shown)}%"
      onkeydown={(e) => onkeydown(e, at)}
      onpointerdown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        drag(e, at);
      }}
      onpointermove={(e) => dragged?.at === at && drag(e, at)}
      onpointerup={() => {
        if (dragged) move(dragged.at, dragged.value);
        dragged = null;
      }}
      onpointercancel={() => (dragged = null)}
    >
      <span>{shown}</span>
    </div>
  {/each}
</div>

<style>
  .line {
    position: relative;
    height: 34px;
    margin: 0 6px 10px;
    border-top: 1px solid var(--ink);
    transform: translateY(18px);
  }
  .cut {
    position: absolute;
    top: -7px;
    width: 9px;
    height: 13px;
    margin-left: -5px;
    background: var(--surface);
    border: 1.5px solid var(--action);
    cursor: ew-resize;
    touch-action: none;
  }
  .cut:focus-visible {
    outline: 2px solid var(--action);
    outline-offset: 1px;
  }
  span {
    position: absolute;
    top: -19px;
    left: 50%;
    font-size: 12px;
    transform: translateX(-50%);
  }
</style>
