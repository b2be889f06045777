<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { FieldSetting, FieldStep } from '$core/steps/field.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { step, set, known }: PanelProps<FieldStep> = $props();

  const WAYS = [
    ['text', 'becomes the text'],
    ['number', 'becomes the number'],
    ['yes', 'becomes yes'],
    ['no', 'becomes no'],
    ['now', 'becomes today, or now'],
    ['add', 'goes up by (below zero: down)'],
    ['include', 'also includes'],
    ['exclude', 'no longer includes'],
    ['clear', 'is cleared']
  ] as const;
  type Way = (typeof WAYS)[number][0];

  function wayOf(s: FieldSetting): Way {
    if (typeof s === 'boolean') return s ? 'yes' : 'no';
    if (typeof s === 'number') return 'number';
    if (typeof s === 'string' || Array.isArray(s)) return 'text';
    return 'now' in s ? 'now' : 'add' in s ? 'add' : 'include' in s ? 'include' : 'exclude' in s ? 'exclude' : 'clear';
  }
  function wordsOf(s: FieldSetting): string {
    if (typeof s !== 'object') return String(s);
    if (Array.isArray(s)) return s.join(', ');
    return 'add' in s
      ? String(s.add)
      : 'include' in s
        ? s.include.join(', ')
        : 'exclude' in s
          ? s.exclude.join(', ')
          : '';
  }
  const listed = (words: string): string[] =>
    words
      .split(',')
      .map((w) => w.trim())
      .filter(Boolean);

  /** `null` where what is typed is not yet a value of that kind. */
  function made(way: Way, words: string): FieldSetting | null {
    const n = Number(words);
    switch (way) {
      case 'text':
        return words;
      case 'number':
        return words.trim() !== '' && Number.isFinite(n) ? n : null;
      case 'add':
        return words.trim() !== '' && Number.isFinite(n) ? { add: n } : null;
      case 'yes':
        return true;
      case 'no':
        return false;
      case 'now':
        return { now: true };
      case 'clear':
        return { clear: true };
      case 'include':
      case 'exclude': {
        const all = listed(words);
        if (!all.length) return null;
        return way === 'include' ? { include: all } : { exclude: all };
      }
    }
  }

  const rows = $derived(Object.entries(step.set));
  /** A name that another row has is on the way to a longer one: taken, it would swallow that row. */
  function change(place: number, name: string, setting: FieldSetting): void {
    if (rows.some(([other], i) => i !== place && other === name)) return;
    set('set', Object.fromEntries(rows.map((row, i) => (i === place ? [name, setting] : row))), false);
  }
  function addRow(): void {
    let n = rows.length + 1;
    while (Object.hasOwn(step.set, `field-${n}`)) n++;
    set('set', { ...step.set, [`field-${n}`]: '' }, false);
  }
  const fallback = (way: Way): FieldSetting => made(way, way === 'add' || way === 'number' ? '1' : 'choice') ?? '';
</script>

{#each rows as [name, setting], place (place)}
  {@const way = wayOf(setting)}
  <section>
    <div data-first={place === 0 ? '' : undefined}>
      <Suggest
        shown
        label="Field"
        placeholder="field"
        known={known.fields}
        value={name === 'field' ? '' : name}
        onchange={(n) => n.trim() && change(place, n.trim(), setting)}
      />
    </div>
    <Pick label="What becomes of it" options={WAYS} value={way} onchange={(w) => change(place, name, fallback(w))} />
    {#if !['yes', 'no', 'now', 'clear'].includes(way)}
      <TextInput
        size="sm"
        hideLabel
        labelText="Value"
        value={wordsOf(setting)}
        on:input={(e) => {
          const next = made(way, inputText(e));
          if (next !== null) change(place, name, next);
        }}
      />
    {/if}
    {#if rows.length > 1}
      <button class="act" onclick={() => set('set', Object.fromEntries(rows.filter((_, i) => i !== place)), false)}
        >Remove</button
      >
    {/if}
  </section>
{/each}
<p class="more">
  <button class="act" onclick={addRow}>And another field …</button>
</p>

<style>
  section {
    margin-bottom: 10px;
    padding-bottom: 6px;
    border-bottom: 1px solid var(--rule-soft);
  }
  .more {
    margin-bottom: 10px;
  }
</style>
