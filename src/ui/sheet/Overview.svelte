<!-- The whole sheet, small: where the cards are and which part is in view. Pressed or dragged, the sheet goes there. -->
<script lang="ts">
  import { CARD_HEIGHT, CARD_WIDTH, type SheetLayout } from '$core/sheet/layout.ts';

  interface Props {
    layout: SheetLayout;
    /** What is in view, in px of the field. */
    area: { x: number; y: number; width: number; height: number };
    ongo: (x: number, y: number) => void;
  }
  let { layout, area, ongo }: Props = $props();

  const WIDTH = 190;
  const HEIGHT = 96;
  const scale = $derived(Math.min(WIDTH / layout.width, HEIGHT / layout.height));
  let pressed = $state(false);

  function go(event: PointerEvent & { currentTarget: SVGElement }): void {
    const box = event.currentTarget.getBoundingClientRect();
    ongo((event.clientX - box.x) / scale - area.width / 2, (event.clientY - box.y) / scale - area.height / 2);
  }
</script>

<!-- For the eye and the mouse, and it takes no focus from the sheet: by the keyboard the arrow keys lead everywhere. -->
<svg
  width={layout.width * scale}
  height={layout.height * scale}
  viewBox="0 0 {layout.width} {layout.height}"
  preserveAspectRatio="none"
  aria-hidden="true"
  onmousedown={(e) => e.preventDefault()}
  onpointerdown={(e) => {
    pressed = true;
    e.currentTarget.setPointerCapture(e.pointerId);
    go(e);
  }}
  onpointermove={(e) => pressed && go(e)}
  onpointerup={() => (pressed = false)}
  onpointercancel={() => (pressed = false)}
>
  {#each layout.cards as card (card.step.key)}
    <rect class="dot" x={card.x} y={card.y - CARD_HEIGHT / 2} width={CARD_WIDTH} height={CARD_HEIGHT} />
  {/each}
  <rect
    class="view"
    x={area.x}
    y={area.y}
    width={Math.min(area.width, layout.width - area.x)}
    height={Math.min(area.height, layout.height - area.y)}
    vector-effect="non-scaling-stroke"
  />
</svg>

<style>
  svg {
    display: block;
    box-sizing: content-box;
    background: var(--surface);
    border: 1px solid var(--rule);
    cursor: pointer;
    touch-action: none;
  }
  .dot {
    fill: var(--rule-field);
  }
  .view {
    fill: var(--action);
    fill-opacity: 0.08;
    stroke: var(--action);
    stroke-width: 1.5px;
  }
</style>
