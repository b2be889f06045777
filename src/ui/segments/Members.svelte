<!-- How many were in a segment, day by day. -->
<script lang="ts">
  import { CategoryScale, Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
  import type { Day } from '$server/segments/members.ts';
  import { token } from '$ui/kit/token.ts';
  import { number } from '$core/tell/words.ts';

  Chart.register(LineController, LineElement, PointElement, CategoryScale, LinearScale, Tooltip);

  let { days }: { days: Day[] } = $props();
  let canvas: HTMLCanvasElement;
  let chart: Chart | null = null;
  const first = $derived(days[0]);
  const last = $derived(days.at(-1));
  const words = $derived(
    first && last ? `${number(first.members)} on ${first.date}, ${number(last.members)} on ${last.date}` : 'nobody yet'
  );

  $effect(() => {
    const labels = days.map((d) => d.date.slice(5));
    const data = days.map((d) => d.members);
    if (chart) {
      chart.data.labels = labels;
      for (const set of chart.data.datasets) set.data = data;
      chart.update('none');
      return;
    }
    chart = new Chart(canvas, {
      type: 'line',
      data: {
        labels,
        datasets: [
          { data, borderColor: token('--action'), borderWidth: 2, pointRadius: 0, pointHitRadius: 8, stepped: true }
        ]
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        plugins: { legend: { display: false } },
        scales: {
          x: { grid: { display: false }, ticks: { maxTicksLimit: 8, maxRotation: 0, color: token('--ink-soft') } },
          y: {
            beginAtZero: true,
            grid: { color: token('--rule-soft') },
            ticks: { precision: 0, maxTicksLimit: 5, color: token('--ink-soft') }
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

<div role="img" aria-label="Members day by day: {words}"><canvas bind:this={canvas}></canvas></div>

<style>
  div {
    height: 150px;
  }
</style>
