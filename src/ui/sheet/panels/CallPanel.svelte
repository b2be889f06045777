<script lang="ts">
  import { TextArea, TextInput } from 'carbon-components-svelte';
  import { untrack } from 'svelte';
  import { call, callSchema, type CallStep } from '$core/steps/call.ts';
  import { calledData } from '$core/message/called.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import { inputText, type PanelProps } from './panel.ts';

  let { editor, step, set, sample }: PanelProps<CallStep> = $props();

  let who = $state(0);
  const someone = $derived(sample[who] ?? null);
  /** What would be posted for someone, as the engine posts it. */
  const posted = $derived.by(() => {
    if (!someone) return '';
    const scope = {
      person: someone.fields,
      journey: { name: editor.document.name ?? editor.key },
      links: { unsubscribe: '' }
    };
    try {
      const data = calledData(step, { journey: editor.key, walk: 1, visit: 1, person: someone }, scope);
      return JSON.stringify({ type: 'journey.called', data }, null, 2);
    } catch (error) {
      return (error as Error).message;
    }
  });

  /** What stands in until one is chosen is shown as nothing. */
  function chosen(url: string): string {
    return call.lacks({ ...step, url }) ? '' : url;
  }

  // What is typed is kept as typed; only what can be read is taken.
  // svelte-ignore state_referenced_locally
  let address = $state(chosen(step.url));
  // svelte-ignore state_referenced_locally
  let typed = $state(step.data ? JSON.stringify(step.data, null, 2) : '');
  const addressProblem = $derived(
    address === '' || callSchema.shape.url.safeParse(address).success
      ? ''
      : 'A web address begins with http:// or https://'
  );
  const read = $derived.by((): { data?: unknown; problem: string } => {
    if (typed.trim() === '') return { problem: '' };
    try {
      const data: unknown = JSON.parse(typed);
      return callSchema.shape.data.safeParse(data).success
        ? { data, problem: '' }
        : { problem: 'Names and values in braces, such as { "what": "visit" }' };
    } catch (error) {
      return { problem: (error as Error).message };
    }
  });

  $effect(() => {
    // Undo shows here too; what cannot be read yet is left to whoever types it.
    const { url, data } = step;
    untrack(() => {
      if (!addressProblem) address = chosen(url);
      if (!read.problem && JSON.stringify(read.data) !== JSON.stringify(data))
        typed = data ? JSON.stringify(data, null, 2) : '';
    });
  });

  function change(url: string): void {
    address = url;
    if (callSchema.shape.url.safeParse(url).success) set('url', url, false);
  }
</script>

<div data-first>
  <TextInput
    size="sm"
    labelText="Web address"
    value={address}
    invalid={addressProblem !== ''}
    invalidText={addressProblem}
    on:input={(e) => change(inputText(e).trim())}
  />
</div>
<TextArea
  labelText="What is posted beside the person and the step (JSON)"
  rows={5}
  value={typed}
  invalid={read.problem !== ''}
  invalidText={read.problem}
  on:input={(e) => {
    typed = (e.target as HTMLTextAreaElement).value;
    if (!read.problem) set('data', read.data);
  }}
/>
{#if someone}
  <details open>
    <summary>What is posted</summary>
    <Pick
      shown
      label="As posted for"
      options={sample.map((p, i) => [String(i), p.name] as const)}
      value={String(who)}
      onchange={(i) => (who = Number(i))}
    />
    <pre>{posted}</pre>
  </details>
{/if}
<p class="hint">Signed; tried again for two days where it is not answered. Personal fields can stand in every value.</p>

<style>
  summary {
    font-size: 12.5px;
    cursor: pointer;
  }
  pre {
    max-height: 220px;
    margin: 4px 0 8px;
    padding: 8px;
    overflow: auto;
    font-size: 11.5px;
    line-height: 1.4;
    background: var(--ground);
  }
</style>
