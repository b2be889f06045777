<script lang="ts">
  import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from 'chart.js';
  import type { Hour } from '$server/results/today.ts';
  import { useFormat } from '$ui/format.ts';
  import { token } from '$ui/kit/token.ts';
  import { number } from '$core/tell/words.ts';

  Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

  let { hours, now }: { hours: Hour[]; now: number } = $props();
  const format = useFormat();
  let canvas: HTMLCanvasElement;
  let chart: Chart | null = null;
  let table = $state(false);
  const HOUR = 3_600_000;

  const label = (h: Hour): string => String(h.hour).padStart(2, '0');
  // Colours are read where the chart is made: on the server there are none.
  const sets = (): { label: string; data: number[]; backgroundColor: string }[] => [
    { label: 'email, gone', data: hours.map((h) => h.goneEmail), backgroundColor: token('--gone') },
    { label: 'text, gone', data: hours.map((h) => h.goneSms), backgroundColor: token('--gone-light') },
    { label: 'email', data: hours.map((h) => h.email), backgroundColor: token('--action') },
    { label: 'text', data: hours.map((h) => h.sms), backgroundColor: token('--action-light') }
  ];

  /** The line of the present, and the sum over each bar. */
  const marks = {
    id: 'marks',
    afterDatasetsDraw(c: Chart): void {
      const { ctx, scales, chartArea } = c;
      const x = scales['x'];
      const y = scales['y'];
      if (!x || !y) return;
      ctx.save();
      ctx.font = '12px "Atkinson Hyperlegible Next Variable"';
      ctx.textAlign = 'center';
      ctx.fillStyle = token('--ink');
      hours.forEach((h, i) => {
        const sum = h.email + h.sms + h.goneEmail + h.goneSms;
        if (sum) ctx.fillText(number(sum), x.getPixelForValue(i), y.getPixelForValue(sum) - 5);
      });
      const i = hours.findIndex((h) => now >= h.at && now < h.at + HOUR);
      const first = hours[i];
      if (first) {
        const width = x.getPixelForValue(1) - x.getPixelForValue(0);
        const at = x.getPixelForValue(i) + width * ((now - first.at) / HOUR - 0.5);
        ctx.fillStyle = token('--attention-line');
        ctx.fillRect(at, chartArea.top, 1.5, chartArea.bottom - chartArea.top);
        ctx.fillStyle = token('--attention');
        ctx.textAlign = 'left';
        ctx.fillText(`${format.time(now)} now`, at + 5, chartArea.top + 9);
      }
      ctx.restore();
    }
  };

  $effect(() => {
    const labels = hours.map(label);
    const datasets = sets().map((s) => ({ ...s, stack: 'all', barPercentage: 0.7, categoryPercentage: 0.9 }));
    if (chart) {
      chart.data = { labels, datasets };
      chart.update();
      return;
    }
    chart = new Chart(canvas, {
      type: 'bar',
      data: { labels, datasets },
      plugins: [marks],
      options: {
        animation: false,
        maintainAspectRatio: false,
        layout: { padding: { top: 14 } },
        plugins: { legend: { display: false } },
        scales: {
          x: {
            stacked: true,
            grid: { display: false },
            ticks: {
              color: token('--ink-soft'),
              maxRotation: 0,
              font: { family: 'Atkinson Hyperlegible Next Variable' }
            }
          },
          y: { stacked: true, display: false, beginAtZero: true, suggestedMax: 5 }
        }
      }
    });
  });
  $effect(() => () => chart?.destroy());
</script>

<div class="legend">
  <span><i style="background: var(--action)"></i>email</span><span
    ><i style="background: var(--action-light)"></i>text</span
  >
  <span><i style="background: var(--gone)"></i>already gone</span>
  <button class="act" aria-expanded={table} onclick={() => (table = !table)}
    >{table ? 'Hide the figures' : 'Show the figures'}</button
  >
</div>
<div class="chart">
  <canvas bind:this={canvas} aria-label="Messages by hour; the button above shows the figures"></canvas>
</div>
{#if table}
  <table class="figures">
    <thead
      ><tr
        ><th>Hour</th><th class="number">Emails gone</th><th class="number">Texts gone</th><th class="number"
          >Emails to go</th
        ><th class="number">Texts to go</th></tr
      ></thead
    >
    <tbody>
      {#each hours.filter((h) => h.email + h.sms + h.goneEmail + h.goneSms) as h (h.at)}
        <tr
          ><td>{format.dateTime(h.at)}</td><td class="number">{h.goneEmail}</td><td class="number">{h.goneSms}</td><td
            class="number">{h.email}</td
          ><td class="number">{h.sms}</td></tr
        >
      {/each}
    </tbody>
  </table>
{/if}

<style>
  .chart {
    position: relative;
    height: 150px;
  }
  .legend {
    display: flex;
    gap: 16px;
    float: right;
    margin-top: -26px;
    color: var(--ink-soft);
    font-size: 12.5px;
  }
  i {
    display: inline-block;
    width: 10px;
    height: 10px;
    margin-right: 5px;
  }
</style>
