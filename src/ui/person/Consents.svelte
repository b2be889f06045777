<!-- Consent by channel: how it stands, its history with its proof, and changing it by hand with where it was given. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button, TextInput } from 'carbon-components-svelte';
  import type { ConsentRecord } from '$server/people/by-hand.ts';
  import type { PersonPage } from '$server/people/people.ts';
  import { useFormat } from '$ui/format.ts';
  import Fact from './Fact.svelte';
  import Pick from '$ui/kit/Pick.svelte';

  let { consents, history }: { consents: PersonPage['consents']; history: ConsentRecord[] } = $props();
  const format = useFormat();
  const WORDS = { email: 'Email', sms: 'Text' } as const;
  let open = $state<'email' | 'sms' | null>(null);
</script>

<dl>
  {#each ['email', 'sms'] as const as channel (channel)}
    {@const c = consents.find((x) => x.channel === channel)}
    <Fact
      name={WORDS[channel]}
      label="Consent for {WORDS[channel].toLowerCase()}: {c?.state ?? 'never asked'}. Change it, or see its history"
      open={open === channel}
      ontoggle={() => (open = open === channel ? null : channel)}
    >
      {#snippet value()}{c?.state ?? 'never asked'}{/snippet}
      {#snippet note()}{#if c}<small>{format.date(c.at)}, by {c.source}</small>{/if}{/snippet}
      <ol aria-label="History of consent for {WORDS[channel].toLowerCase()}">
        {#each history.filter((h) => h.channel === channel) as h, i (i)}
          <li>
            <strong>{h.state}</strong>
            {format.dateTime(h.at)}
            <small>{h.source}{h.address ? `, for ${h.address}` : ''}</small>
            {#if h.wording}<small class="wording">“{h.wording}”</small>{/if}
          </li>
        {:else}<li class="soft">Nobody ever asked.</li>{/each}
      </ol>
      <form
        method="post"
        action="?/consent"
        use:enhance={() =>
          async ({ update, result }) => {
            await update();
            if (result.type === 'success') open = null;
          }}
      >
        <input type="hidden" name="channel" value={channel} />
        <Pick
          label="Consent becomes"
          shown
          name="state"
          options={[
            ['given', 'given'],
            ['pending', 'asked, not confirmed'],
            ['withdrawn', 'withdrawn']
          ]}
          value={c?.state === 'given' ? 'withdrawn' : 'given'}
        />
        <TextInput
          size="sm"
          name="source"
          labelText="Where they said so"
          placeholder="by telephone"
          required
          maxlength={200}
        />
        <TextInput size="sm" name="wording" labelText="In which words, if you have them" maxlength={2000} />
        <Button size="small" kind="tertiary" type="submit">Save</Button>
      </form>
    </Fact>
  {/each}
</dl>

<style>
  dl {
    display: grid;
    grid-template-columns: 84px 1fr;
    gap: 3px 8px;
  }
  ol {
    margin: 0 0 8px;
    padding: 0;
    list-style: none;
  }
  li {
    padding: 2px 0;
  }
  small {
    display: block;
    color: var(--ink-soft);
  }
  .wording {
    font-style: italic;
  }
  form {
    display: grid;
    gap: 8px;
    justify-items: start;
  }
</style>
