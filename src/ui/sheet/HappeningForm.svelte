<!-- Something that people may do, as a form: what, and with what. Filters that it does not ask about are told in words and kept. -->
<script lang="ts">
  import { TextInput } from 'carbon-components-svelte';
  import type { HappeningFilter } from '$core/condition/happening.ts';
  import type { Step } from '$core/steps/index.ts';
  import { kindOf } from '$core/steps/index.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import Suggest from '$ui/kit/Suggest.svelte';
  import { ABOUT, asking, HEARD, type Heard } from './happening.ts';
  import { inputText, type Nameable } from './panels/panel.ts';

  interface Props {
    happening: HappeningFilter;
    known: Nameable;
    onchange: (happening: HappeningFilter) => void;
  }
  let { happening: h, known, onchange }: Props = $props();

  const heard = $derived(HEARD.find(([name]) => name === h.happening)?.[0] ?? null);
  const about = $derived(heard && ABOUT[heard]);
  /** Those that can be asked about, with any of them; one that is not here stays what it is. */
  const steps = (all: Step[], any: string): (readonly [string, string])[] => {
    const named = [['', any] as const, ...all.map((s) => [s.key, kindOf(s).card(s).title] as const)];
    const of = h.of ?? '';
    return named.some(([key]) => key === of) ? named : [...named, [of, of] as const];
  };
  const setOf = (of: string): void => onchange({ ...h, of: of || undefined });
</script>

{#if heard}
  <Pick
    label="What happens"
    options={HEARD}
    value={heard}
    onchange={(name: Heard) => onchange(asking(name, h, known))}
  />
  {#if about === 'message'}
    <Pick label="Which message" options={steps(known.messages, 'any message')} value={h.of ?? ''} onchange={setOf} />
    {#if heard === 'clicked'}
      <TextInput
        size="sm"
        labelText="This link only (empty: any)"
        value={h.link ?? ''}
        on:input={(e) => onchange({ ...h, link: inputText(e).trim() || undefined })}
      />
    {:else if heard === 'replied'}
      <TextInput
        size="sm"
        labelText="With one of these words (commas; empty: anything)"
        value={(h.matches ?? []).join(', ')}
        on:change={(e) => {
          const matches = inputText(e)
            .split(',')
            .map((m) => m.trim())
            .filter(Boolean);
          onchange({ ...h, matches: matches.length ? matches : undefined });
        }}
      />
    {/if}
  {:else if about === 'task'}
    <Pick label="Which task" options={steps(known.tasks, 'any task')} value={h.of ?? ''} onchange={setOf} />
  {:else if about === 'tag'}
    <Suggest
      label="Tag"
      placeholder="tag"
      known={known.tags}
      value={h.tag ?? ''}
      onchange={(tag) => onchange({ ...h, tag: tag.trim() })}
    />
  {:else if about}
    <TextInput
      size="sm"
      hideLabel
      labelText={about}
      placeholder="any {about}"
      value={String(h[about] ?? '')}
      on:input={(e) => onchange({ ...h, [about]: inputText(e).trim() || undefined })}
    />
  {/if}
{/if}
