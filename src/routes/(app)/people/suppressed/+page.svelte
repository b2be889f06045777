<!-- Addresses nobody may write to, those alike together: by domain, day and what was answered; lifted together, with a reason. -->
<script lang="ts">
  import { enhance } from '$app/forms';
  import { TextInput } from 'carbon-components-svelte';
  import { number, plural } from '$core/tell/words.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  /** Which group's reason is asked for. */
  let asked = $state<string | null>(null);
  const total = $derived(data.groups.reduce((n, g) => n + g.people, 0));
</script>

<svelte:head><title>Suppressed · Ambulo</title></svelte:head>

<div class="page">
  <h1>Suppressed</h1>
  <p class="soft">
    {plural(total, 'email address', 'email addresses')} that nobody may write to, because a server said that nobody is there.
  </p>
  {#if form?.problem}<p role="alert">{form.problem}</p>{/if}
  {#if form && 'lifted' in form}<p role="status">
      {plural(form.lifted ?? 0, 'address', 'addresses')} may be written to again.
    </p>{/if}

  {#each data.doubts as d (d.domain)}
    <section class="doubt">
      <p>
        <strong
          >{plural(d.refused, 'address', 'addresses')}{d.domain ? ` of ${d.domain}` : ''} refused within an hour</strong
        >: {d.answer}
      </p>
      <p class="soft">
        Our trouble, theirs, or are they gone? Nobody is suppressed until you say so. {plural(
          d.waiting,
          'message waits',
          'messages wait'
        )}.
      </p>
      <form method="post" action="?/settle" use:enhance>
        <input type="hidden" name="domain" value={d.domain} />
        <button class="act" name="is" value="over">It is over: try them again</button>
        <button class="act" name="is" value="gone">They are gone: suppress them</button>
      </form>
    </section>
  {/each}

  {#if data.groups.length}
    <table class="figures">
      <thead
        ><tr><th>Domain</th><th>Day</th><th>What was answered</th><th class="number">Addresses</th><th></th></tr></thead
      >
      <tbody>
        {#each data.groups as g (`${g.domain} ${g.day} ${g.answer}`)}
          {@const key = `${g.domain} ${g.day} ${g.answer}`}
          <tr>
            <td>{g.domain}</td>
            <td class="day">{g.day}</td>
            <td class="answer">{g.answer}</td>
            <td class="number">{number(g.people)}</td>
            <td class="do">
              {#if asked === key}
                <form
                  method="post"
                  action="?/lift"
                  use:enhance={() =>
                    async ({ update }) => {
                      await update();
                      asked = null;
                    }}
                >
                  <input type="hidden" name="domain" value={g.domain} />
                  <input type="hidden" name="day" value={g.day} />
                  <input type="hidden" name="answer" value={g.answer} />
                  <TextInput
                    size="sm"
                    hideLabel
                    name="reason"
                    labelText="Why they may be written to again"
                    placeholder="Why they may be written to again"
                    required
                    maxlength={200}
                  />
                  <button class="act">Lift {plural(g.people, 'suppression', 'suppressions')}</button>
                </form>
              {:else}<button class="act" onclick={() => (asked = key)}>Lift …</button>{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  {:else}<p class="empty">No email address is suppressed.</p>{/if}
</div>

<style>
  .page {
    padding: 20px 24px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  .soft {
    margin-bottom: 12px;
  }
  .doubt {
    margin-bottom: 16px;
    padding: 10px 14px;
    background: var(--surface);
  }
  .doubt form {
    display: flex;
    gap: 20px;
  }
  .day {
    white-space: nowrap;
  }
  .answer {
    overflow-wrap: anywhere;
  }
  .number {
    text-align: right;
  }
  .do {
    text-align: right;
  }
  .do form {
    display: flex;
    gap: 8px;
    align-items: center;
    justify-content: flex-end;
  }
</style>
