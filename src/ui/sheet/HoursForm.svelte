<!-- Sending hours: a week to drag over, the same typed, the zone they are counted in, and days on which nothing goes out. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import { parseDate } from '$core/time/civil.ts';
  import { WEEKDAYS, type Hours } from '$core/time/hours.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { inputText } from './panels/panel.ts';

  interface Props {
    hours: Hours;
    /** One that is the same for all, where they do not count by each person's own. */
    zone: string;
    onchange: (hours: Hours) => void;
  }
  let { hours, zone, onchange }: Props = $props();

  const NAMES = { mon: 'Mon', tue: 'Tue', wed: 'Wed', thu: 'Thu', fri: 'Fri', sat: 'Sat', sun: 'Sun' };
  let from = $state<{ day: number; hour: number } | null>(null);
  let to = $state<{ day: number; hour: number } | null>(null);
  let problem = $state('');

  const hourOf = (time: string): number => Number(time.slice(0, 2)) + Number(time.slice(3)) / 60;
  const days = $derived(WEEKDAYS.map((d) => !hours.days || hours.days.includes(d)));
  /** Whether messages may go out in some part of an hour of a day; a window may run over midnight. */
  function isOpen(day: number, hour: number): boolean {
    if (from && to) {
      const [d1, d2] = [Math.min(from.day, to.day), Math.max(from.day, to.day)];
      const [h1, h2] = [Math.min(from.hour, to.hour), Math.max(from.hour, to.hour)];
      return day >= d1 && day <= d2 && hour >= h1 && hour <= h2;
    }
    const [opens, closes] = [hourOf(hours.from), hourOf(hours.to)];
    if (closes > opens) return days[day] === true && hour + 1 > opens && hour < closes;
    return (days[day] === true && hour + 1 > opens) || (days[(day + 6) % 7] === true && hour < closes);
  }
  const clock = (hour: number): string => `${String(hour % 24).padStart(2, '0')}:00`;
  function finish(): void {
    if (from && to) {
      const [d1, d2] = [Math.min(from.day, to.day), Math.max(from.day, to.day)];
      const [h1, h2] = [Math.min(from.hour, to.hour), Math.max(from.hour, to.hour)];
      const chosen = WEEKDAYS.slice(d1, d2 + 1);
      const { days: _, ...rest } = hours;
      onchange({ ...rest, ...(chosen.length < 7 ? { days: chosen } : {}), from: clock(h1), to: clock(h2 + 1) });
    }
    from = to = null;
  }
  function toggle(day: number): void {
    const now = WEEKDAYS.filter((_, i) => (i === day ? !days[i] : days[i]));
    const { days: _, ...rest } = hours;
    // Some day has to stay.
    if (now.length) onchange(now.length === 7 ? rest : { ...rest, days: now });
  }
  const setHour = (key: 'from' | 'to', time: string): void => {
    if (time) onchange({ ...hours, [key]: time });
  };
  function setExcept(typed: string): void {
    const dates = typed
      .split(',')
      .map((d) => d.trim())
      .filter(Boolean);
    const wrong = dates.find((d) => parseDate(d) === null);
    problem = wrong === undefined ? '' : `${wrong} is no date: type them as 2027-12-25, with commas between`;
    if (wrong !== undefined) return;
    const { except: _, ...rest } = hours;
    onchange(dates.length ? { ...rest, except: [...new Set(dates)].sort() } : rest);
  }
  const zones = $derived([...new Set(['person', zone, ...(hours.zone ? [hours.zone] : [])])]);
</script>

<svelte:window onpointerup={finish} />

<table aria-label="The hours of a week in which messages go out">
  <tbody>
    {#each WEEKDAYS as weekday, day (weekday)}
      <tr>
        <th scope="row"
          ><button
            aria-pressed={days[day]}
            onclick={() => toggle(day)}
            title={days[day] ? 'Not on this day' : 'On this day too'}>{NAMES[weekday]}</button
          ></th
        >
        {#each { length: 24 }, hour}
          <td
            class:open={isOpen(day, hour)}
            title="{NAMES[weekday]} {clock(hour)}"
            onpointerdown={(e) => {
              e.preventDefault();
              from = to = { day, hour };
            }}
            onpointerenter={() => from && (to = { day, hour })}
          ></td>
        {/each}
      </tr>
    {/each}
    <tr class="scale" aria-hidden="true"
      ><th></th>{#each [0, 6, 12, 18] as hour (hour)}<td colspan="6">{hour}</td>{/each}</tr
    >
  </tbody>
</table>
<div class="two">
  <TextInput
    size="sm"
    type="time"
    labelText="from"
    value={hours.from}
    on:change={(e) => setHour('from', (e.target as HTMLInputElement).value)}
  />
  <TextInput
    size="sm"
    type="time"
    labelText="to"
    value={hours.to}
    on:change={(e) => setHour('to', (e.target as HTMLInputElement).value)}
  />
</div>
<Pick
  label="In whose zone"
  options={zones.map((name) => [name, name === 'person' ? 'in each person’s own zone' : `by ${name}`] as const)}
  value={hours.zone ?? 'person'}
  onchange={(name) => onchange({ ...hours, zone: name })}
/>
<TextInput
  size="sm"
  labelText="Not on these days (2027-12-25, 2027-12-26)"
  value={hours.except?.join(', ') ?? ''}
  invalid={problem !== ''}
  invalidText={problem}
  on:change={(e) => setExcept(inputText(e))}
/>

<style>
  table {
    width: 100%;
    margin-bottom: 8px;
    border-collapse: collapse;
    table-layout: fixed;
    touch-action: none;
    user-select: none;
  }
  th {
    width: 34px;
    padding: 0;
  }
  th button {
    width: 100%;
    padding: 0;
    color: var(--ink-soft);
    font-size: 12px;
    text-align: left;
    background: none;
    border: 0;
    cursor: pointer;
  }
  th button[aria-pressed='true'] {
    color: var(--ink);
    font-weight: 650;
  }
  td {
    height: 13px;
    padding: 0;
    background: var(--ground);
    border: 1px solid var(--surface);
    cursor: crosshair;
  }
  .open {
    background: var(--action);
  }
  .scale td {
    height: auto;
    color: var(--ink-soft);
    font-size: 11px;
    background: none;
    cursor: default;
  }
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px;
  }
</style>
