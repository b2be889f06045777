<script lang="ts" module>
  /** A row of the form: one question, perhaps turned round. */
  export type Asked = 'opened' | 'clicked' | 'replied' | 'tag' | 'field' | 'consent';
</script>

<script lang="ts">
  import { MESSAGE_HAPPENINGS } from '$core/condition/happening.ts';
  import type { Condition, DidCondition, FieldCondition } from '$core/condition/schema.ts';
  import type { FieldValue } from '$core/person/state.ts';
  import type { Step } from '$core/steps/index.ts';
  import { kindOf } from '$core/steps/index.ts';

  interface Props {
    condition: Condition;
    tags: string[];
    fields: string[];
    /** Messages that can be asked about here. */
    messages: Step[];
    onchange: (condition: Condition) => void;
  }
  let { condition, tags, fields, messages, onchange }: Props = $props();
  const id = $props.id();

  const together = $derived('any' in condition ? 'any' : 'all');
  const parts = $derived('all' in condition ? condition.all : 'any' in condition ? condition.any : [condition]);
  const ASKED = [
    ['did', 'did with a message'],
    ['tag', 'has the tag'],
    ['field', 'field'],
    ['consent', 'gave consent for']
  ] as const;

  type Kind = (typeof ASKED)[number][0] | 'group';

  // Beside a field or a score, "not" is a comparison.
  const isNegation = (c: Condition): c is { not: Condition } => 'not' in c && !('field' in c) && !('score' in c);
  const isField = (c: Condition): c is FieldCondition => 'field' in c && !('did' in c) && !('came' in c);
  function bare(c: Condition): { not: boolean; c: Condition } {
    return isNegation(c) ? { not: true, c: c.not } : { not: false, c };
  }
  function kindFor(c: Condition): Kind {
    if ('did' in c) return 'did';
    if ('tag' in c) return 'tag';
    if (isField(c)) return 'field';
    return 'consent' in c ? 'consent' : 'group';
  }
  function fresh(kind: Kind): Condition {
    if (kind === 'did') return { did: 'opened', of: messages.at(-1)?.key ?? '' };
    if (kind === 'field') return { field: fields[0] ?? '', is: '' };
    return kind === 'consent' ? { consent: 'email' } : { tag: '' };
  }
  function put(i: number, c: Condition, not: boolean): void {
    give(parts.map((p, n) => (n === i ? (not ? { not: c } : c) : p)));
  }
  function give(list: Condition[], by: 'all' | 'any' = together): void {
    const [only] = list;
    if (list.length === 1 && only) onchange(only);
    else onchange(by === 'all' ? { all: list } : { any: list });
  }
  /** The same question about another message, or of another act: what else it asks (a link) stays where it may. */
  function asking({ link, ...rest }: DidCondition, did: DidCondition['did'], of: string | undefined): Condition {
    return { ...rest, did, of, ...(did === 'clicked' && link !== undefined ? { link } : {}) };
  }
  function compare(c: FieldCondition): string {
    if (c.set === true) return 'set';
    if (c.set === false) return 'empty';
    return c.not !== undefined ? 'not' : 'is';
  }
  function fieldWith(field: string, how: string, value: FieldValue): Condition {
    if (how === 'set') return { field, set: true };
    if (how === 'empty') return { field, set: false };
    return how === 'not' ? { field, not: value } : { field, is: value };
  }
</script>

<div class="condition">
  {#if parts.length > 1}
    <label class="together">
      <select value={together} onchange={(e) => give(parts, e.currentTarget.value === 'any' ? 'any' : 'all')}>
        <option value="all">all of these</option><option value="any">any of these</option>
      </select>
    </label>
  {/if}
  {#each parts as part, i (i)}
    {@const { not, c } = bare(part)}
    {@const kind = kindFor(c)}
    <div class="part">
      {#if kind === 'group'}
        <p class="soft">A group of conditions, as the file says. It is kept as it is.</p>
      {:else}
        <select
          aria-label="What is asked"
          value={kind}
          onchange={(e) => put(i, fresh(e.currentTarget.value as Kind), not)}
        >
          {#each ASKED as [k, words] (k)}<option value={k} disabled={k === 'did' && !messages.length}>{words}</option
            >{/each}
        </select>
        <label class="not"
          ><input type="checkbox" checked={not} onchange={(e) => put(i, c, e.currentTarget.checked)} />not</label
        >
        {#if 'did' in c}
          <select
            aria-label="What they did"
            value={c.did}
            onchange={(e) =>
              put(i, asking(c, MESSAGE_HAPPENINGS.find((h) => h === e.currentTarget.value) ?? 'opened', c.of), not)}
          >
            {#each MESSAGE_HAPPENINGS as h (h)}<option value={h}>{h}</option>{/each}
          </select>
          <select
            aria-label="Which message"
            value={c.of}
            onchange={(e) => put(i, asking(c, c.did, e.currentTarget.value), not)}
          >
            {#if !messages.some((m) => m.key === c.of)}<option value={c.of}>{c.of || 'choose a message'}</option>{/if}
            {#each messages as m (m.key)}<option value={m.key}>{kindOf(m).card(m).title}</option>{/each}
          </select>
        {:else if 'tag' in c}
          <input
            class="wide"
            aria-label="Tag"
            list="ct-{id}"
            placeholder="tag"
            value={c.tag}
            oninput={(e) => put(i, { tag: e.currentTarget.value.trim() }, not)}
          />
        {:else if isField(c)}
          {@const how = compare(c)}
          {@const value = c.is ?? c.not ?? ''}
          <input
            aria-label="Field"
            list="cf-{id}"
            placeholder="field"
            value={c.field}
            oninput={(e) => put(i, fieldWith(e.currentTarget.value.trim(), how, value), not)}
          />
          <select
            aria-label="Comparison"
            value={how}
            onchange={(e) => put(i, fieldWith(c.field, e.currentTarget.value, value), not)}
          >
            <option value="is">is</option><option value="not">is not</option><option value="set">has a value</option
            ><option value="empty">has none</option>
          </select>
          {#if how === 'is' || how === 'not'}<input
              class="wide"
              aria-label="Value"
              placeholder="value"
              value={String(value)}
              oninput={(e) => put(i, fieldWith(c.field, how, e.currentTarget.value), not)}
            />{/if}
        {:else if 'consent' in c}
          <select
            aria-label="Channel"
            value={c.consent}
            onchange={(e) => put(i, { consent: e.currentTarget.value === 'sms' ? 'sms' : 'email' }, not)}
            ><option value="email">email</option><option value="sms">text</option></select
          >
        {/if}
      {/if}
      {#if parts.length > 1}<button class="act" onclick={() => give(parts.filter((_, n) => n !== i))}>Remove</button
        >{/if}
    </div>
  {/each}
  <button class="act" onclick={() => give([...parts, fresh('tag')])}>And also ask …</button>
  <datalist id="ct-{id}"
    >{#each tags as t (t)}<option value={t}></option>{/each}</datalist
  >
  <datalist id="cf-{id}"
    >{#each fields as f (f)}<option value={f}></option>{/each}</datalist
  >
</div>

<style>
  .condition {
    font-size: 13px;
  }
  .part {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 6px;
    margin-bottom: 6px;
  }
  select,
  .part input:not([type='checkbox']) {
    width: 100%;
    min-width: 0;
    height: 28px;
    padding: 0 6px;
    color: var(--ink);
    font-size: 13px;
    background: var(--ground);
    border: 0;
    border-bottom: 1px solid #8c9291;
    box-sizing: border-box;
  }
  .not {
    display: flex;
    gap: 4px;
    align-items: center;
  }
  .wide {
    grid-column: 1 / -1;
  }
  .together {
    display: block;
    margin-bottom: 6px;
  }
</style>
