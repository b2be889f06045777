<!-- A number over time that changes in steps, as a line. -->
<script lang="ts">
  import { CategoryScale, Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
  import { token } from './token.ts';

  Chart.register(LineController, LineElement, PointElement, CategoryScale, LinearScale, Tooltip);

  interface Props {
    /** What it says, for screen readers. */
    label: string;
    /** Days as dates, or as numbers. */
    points: { x: string | number; y: number }[];
    /** What the numbers below count. */
    below?: string;
  }
  let { label, points, below = '' }: Props = $props();
  let canvas: HTMLCanvasElement;
  let chart: Chart<'line', { x: string | number; y: number }[]> | null = null;

  $effect(() => {
    const data = points.map((p) => ({ ...p }));
    if (chart) {
      for (const set of chart.data.datasets) set.data = data;
      chart.update('none');
      return;
    }
    const soft = token('--ink-soft');
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
            type: typeof data[0]?.x === 'number' ? 'linear' : 'category',
            title: { display: below !== '', text: below, color: soft },
            grid: { display: false },
            ticks: { maxTicksLimit: 8, maxRotation: 0, color: soft }
          },
          y: {
            beginAtZero: true,
            grid: { color: token('--rule-soft') },
            ticks: { precision: 0, maxTicksLimit: 5, color: soft }
          }
        }
      }
    });
  });
  $effect(() => () => {
    chart?.destroy();
    chart = null;
  });
</script>

<div role="img" aria-label={label}><canvas bind:this={canvas}></canvas></div>

<style>
  div {
    height: 150px;
  }
</style>
