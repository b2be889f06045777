<!-- How points fall while nothing is added, as a curve. -->
<script lang="ts">
  import { CategoryScale, Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
  import { number } from '$core/tell/words.ts';
  import { token } from '$ui/kit/token.ts';

  Chart.register(LineController, LineElement, PointElement, CategoryScale, LinearScale, Tooltip);

  let { curve }: { curve: { day: number; points: number }[] } = $props();
  let canvas: HTMLCanvasElement;
  let chart: Chart | null = null;
  const words = $derived(curve.map((c) => `${number(c.points)} on day ${number(c.day)}`).join(', '));

  $effect(() => {
    const data = curve.map((c) => ({ x: c.day, y: c.points }));
    if (chart) {
      for (const set of chart.data.datasets) set.data = data;
      chart.update('none');
      return;
    }
    chart = new Chart(canvas, {
      type: 'line',
      data: {
        datasets: [
          { data, borderColor: token('--action'), borderWidth: 2, pointRadius: 0, pointHitRadius: 8, stepped: true }
        ]
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        plugins: { legend: { display: false } },
        scales: {
          x: {
            type: 'linear',
            title: { display: true, text: 'days without a rise', color: token('--ink-soft') },
            grid: { display: false },
            ticks: { maxTicksLimit: 8, color: token('--ink-soft') }
          },
          y: { grid: { color: token('--rule-soft') }, ticks: { maxTicksLimit: 5, color: token('--ink-soft') } }
        }
      }
    });
  });
  $effect(() => () => {
    chart?.destroy();
    chart = null;
  });
</script>

<div role="img" aria-label="Points while nothing is added: {words}"><canvas bind:this={canvas}></canvas></div>

<style>
  div {
    height: 150px;
  }
</style>
