<script lang="ts">
  import { enhance } from '$app/forms';
  import { Button, TextArea, TextInput } from 'carbon-components-svelte';
  import { useFormat } from '$ui/format.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  const MAY = { 'happenings:write': 'tell what happened', 'metrics:read': 'read the figures of /metrics' };
  /** The answer to the last form that was sent, whichever it was. */
  const said = $derived(
    (form ?? {}) as {
      token?: string;
      keyProblem?: string;
      signing?: string;
      saved?: boolean;
      problems?: string[];
      given?: string;
      /** The state that what was given was changed from. */
      begun?: number;
      wordsSaved?: boolean;
      wordsProblem?: string;
    }
  );
</script>

<svelte:head><title>Settings · Ambulo</title></svelte:head>

<div class="page">
  <h1>Settings</h1>

  <section>
    <h2>What all journeys share</h2>
    <p class="soft">
      Segments, ladders, score models, limits and sending hours, as one document. What is saved holds from the next
      message on; segments are looked at for everyone.
    </p>
    <form
      method="post"
      action="?/shared"
      use:enhance={() =>
        ({ update }) =>
          update({ reset: false })}
    >
      <input type="hidden" name="revision" value={said.begun ?? data.revision} />
      <TextArea
        name="settings"
        labelText="Settings, as JSON"
        rows={16}
        value={said.given ?? data.settings}
        spellcheck={false}
      />
      {#if said.problems}
        <ul class="problems" role="alert">
          {#each said.problems as p, i (i)}<li>{p}</li>{/each}
        </ul>
      {/if}
      <Button type="submit" size="small">Save</Button>
      {#if said.saved}<span role="status">Saved.</span>{/if}
    </form>
  </section>

  <section>
    <h2>Words in texts</h2>
    <p class="soft">
      STOP, START and HELP are known in English, German, French, Spanish and Irish. Words of your own come beside them.
    </p>
    <form
      class="words"
      method="post"
      action="?/words"
      use:enhance={() =>
        ({ update }) =>
          update({ reset: false })}
    >
      <TextInput name="stop" size="sm" labelText="Stop, too" value={(data.words.stop ?? []).join(', ')} />
      <TextInput name="start" size="sm" labelText="Start, too" value={(data.words.start ?? []).join(', ')} />
      <TextInput name="help" size="sm" labelText="Help, too" value={(data.words.help ?? []).join(', ')} />
      <TextInput
        name="helpText"
        size="sm"
        labelText="What whoever asks for help is told; empty: nothing"
        value={data.words.helpText ?? ''}
        maxlength={480}
      />
      <Button type="submit" size="small">Save</Button>
      {#if said.wordsSaved}<span role="status">Saved.</span>{/if}
      {#if said.wordsProblem}<span class="problems" role="alert">{said.wordsProblem}</span>{/if}
    </form>
  </section>

  <section>
    <h2>Programs that tell what happened</h2>
    <p class="soft">
      Each has a key of its own. How to use it: <a href="/api/openapi.json" target="_blank" rel="noreferrer"
        >the API, as an OpenAPI document</a
      >.
    </p>
    {#if said.token}
      <p class="token" role="status">
        The new key, shown this once: <code>{said.token}</code>
      </p>
    {/if}
    {#if said.keyProblem}<p class="problems" role="alert">{said.keyProblem}</p>{/if}
    {#if data.keys.length}
      <table class="figures">
        <thead><tr><th>For</th><th>May</th><th>Ends with</th><th>Made</th><th>Last used</th><th></th></tr></thead>
        <tbody>
          {#each data.keys as k (k.id)}
            <tr class:gone={k.revoked_at !== null}>
              <td>{k.name}</td>
              <td>{k.scopes.map((s) => MAY[s]).join(', ')}</td>
              <td><code>…{k.ending}</code></td>
              <td>{format.fullDate(k.created_at)}<small>{k.created_by}</small></td>
              <td>{k.used_at === null ? 'never' : format.dateTime(k.used_at)}</td>
              <td class="do">
                {#if k.revoked_at === null}
                  <form method="post" action="?/revoke" use:enhance>
                    <input type="hidden" name="id" value={k.id} />
                    <button class="act">Revoke</button>
                  </form>
                {:else}revoked{/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
    <form class="new" method="post" action="?/key" use:enhance>
      <TextInput name="name" size="sm" labelText="A new key, for" placeholder="the shop" maxlength={80} />
      <label class="may"
        >It may
        <select name="scope">
          {#each Object.entries(MAY) as [scope, words] (scope)}<option value={scope}>{words}</option>{/each}
        </select></label
      >
      <Button type="submit" size="small">Make a key</Button>
    </form>
  </section>

  <section>
    <h2>What calls are signed with</h2>
    <p class="soft">
      Steps that call a web address sign what they post (Standard Webhooks). Whoever gets it checks it with this.
    </p>
    {#if said.signing}<p class="token"><code>{said.signing}</code></p>
    {:else}
      <form method="post" action="?/signing" use:enhance><button class="act">Show it</button></form>
    {/if}
  </section>
</div>

<style>
  .page {
    max-width: 1080px;
    padding: 20px 24px 40px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  h2 {
    font-size: 14px;
    font-weight: 700;
  }
  section {
    margin-top: 16px;
    padding: 14px 16px 16px;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  section > p {
    margin: 4px 0 10px;
  }
  section :global(textarea) {
    font-family: ui-monospace, monospace;
    font-size: 12.5px;
    line-height: 1.45;
  }
  form :global(.bx--btn) {
    margin-top: 8px;
  }
  .token code {
    padding: 4px 8px;
    background: var(--action-ground);
    user-select: all;
  }
  .problems {
    margin: 8px 0;
    color: var(--failure);
    list-style: none;
  }
  .new {
    display: flex;
    gap: 8px;
    align-items: end;
    max-width: 44rem;
    margin-top: 12px;
  }
  .may {
    flex: none;
    font-size: 12px;
  }
  .may select {
    display: block;
    height: 32px;
    padding: 0 8px;
    background: var(--surface);
    border: 1px solid var(--rule-strong);
  }
  .words {
    display: grid;
    grid-template-columns: repeat(3, 1fr);
    gap: 8px 12px;
    align-items: end;
  }
  .words :global(.bx--form-item:nth-child(4)) {
    grid-column: 1 / span 3;
  }
  .words :global(.bx--btn) {
    justify-self: start;
  }
  .gone td {
    color: var(--ink-soft);
  }
  .do {
    text-align: right;
  }
</style>
