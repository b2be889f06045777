<script lang="ts">
  import { enhance } from '$app/forms';
  import { goto } from '$app/navigation';
  import { Button, TextInput } from 'carbon-components-svelte';
  import { number, plural } from '$core/tell/words.ts';
  import { instantText } from '$core/time/instant.ts';
  import Choice from '$ui/kit/Choice.svelte';
  import SaveTable from '$ui/kit/SaveTable.svelte';
  import { typingIn } from '$ui/kit/keys.ts';
  import { useFormat } from '$ui/format.ts';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
  const format = useFormat();
  /** The task whose outcome is being written down. */
  let doing = $state<number | null>(null);

  const views = $derived([
    ['mine', `Mine ${number(data.counts.mine)}`],
    ['all', `All ${number(data.counts.all)}`],
    ['due', `Due ${number(data.counts.due)}`],
    ['done', 'Done']
  ] as const);
  const KINDS: Record<string, string> = { call: 'Call', check: 'Check', meet: 'Meet', other: '' };
  const PRIORITIES = ['high', '', 'low'];

  const late = (due: number | null): boolean => due !== null && due <= data.now;

  /** Arrow keys go from task to task; Enter or d takes the one in hand. */
  function move(event: KeyboardEvent): void {
    if (event.key === 'Escape') doing = null;
    if (typingIn(event)) return;
    const buttons = [...document.querySelectorAll<HTMLButtonElement>('tbody button.act')];
    const at = buttons.findIndex((b) => b === document.activeElement);
    const step = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[event.key];
    if (step !== undefined && buttons.length) buttons[Math.min(Math.max(at + step, 0), buttons.length - 1)]?.focus();
    else if (event.key === 'd' && at >= 0) buttons[at]?.click();
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>Tasks · Ambulo</title></svelte:head>
<svelte:window onkeydown={move} />

<div class="page">
  <header>
    <h1>Tasks</h1>
    <Choice
      label="Which tasks"
      options={views}
      bind:chosen={() => data.view, (view) => void goto(`?view=${view}`, { keepFocus: true, noScroll: true })}
    />
    <p class="soft keys"><kbd>↑</kbd> <kbd>↓</kbd> choose · <kbd>d</kbd> done</p>
    {#if data.tasks.length}
      <SaveTable
        name="tasks"
        rows={() =>
          data.tasks.map((t) => ({
            task: t.title,
            what: t.what,
            note: t.note,
            due: t.dueAt === null ? null : instantText(t.dueAt),
            done: t.doneAt === null ? null : instantText(t.doneAt),
            'done by': t.doneBy,
            outcome: t.outcome,
            whose: t.assignee,
            about: t.name,
            email: t.email,
            phone: t.phone,
            journey: t.journey,
            step: t.step
          }))}
      />
    {/if}
  </header>
  {#if form?.problem}<p class="problem" role="alert">{form.problem}</p>{/if}
  {#if data.tasks.length}
    <table class="figures">
      <thead>
        <tr
          ><th>{data.view === 'done' ? 'Done' : 'Due'}</th><th>Task</th><th>About</th><th>Made by</th><th>Whose</th><th
            ><span class="visually-hidden">Done</span></th
          ></tr
        >
      </thead>
      <tbody>
        {#each data.tasks as t (t.id)}
          <tr>
            <td class="when">
              {#if data.view === 'done'}{format.dateTime(t.doneAt ?? 0)}
              {:else if t.dueAt === null}<span class="soft">any time</span>
              {:else}<span class:late={late(t.dueAt)}>{format.dateTime(t.dueAt)}{late(t.dueAt) ? ', late' : ''}</span
                >{/if}
            </td>
            <td>
              <strong>{t.title}</strong>
              {#if KINDS[t.what]}<span class="soft">{KINDS[t.what]}</span>{/if}
              {#if PRIORITIES[t.priority]}<span class="priority">{PRIORITIES[t.priority]}</span>{/if}
              <small
                >{[
                  t.note,
                  t.awaited && t.doneAt === null ? 'They stand still until it is done.' : null,
                  t.outcome && `→ ${t.outcome}`
                ]
                  .filter(Boolean)
                  .join(' ')}</small
              >
            </td>
            <td
              ><a href="/people/{t.person}">{t.name}</a>{#if t.phone && t.what === 'call'}<small
                  ><a href="tel:{t.phone}">{t.phone}</a></small
                >{/if}</td
            >
            <td
              >{#if t.journeyKey}<a href="/journeys/{t.journeyKey}?view=watch&step={t.step}">{t.journey}</a
                >{:else}{t.madeBy}{/if}<small>{format.dateTime(t.createdAt)}</small></td
            >
            <td>{t.doneBy ?? t.assignee ?? 'anyone'}</td>
            <td class="do">
              {#if data.view !== 'done' && doing !== t.id}
                <button class="act" onclick={() => (doing = t.id)}>Done…</button>
              {/if}
            </td>
          </tr>
          {#if doing === t.id}
            <tr class="doing">
              <td></td>
              <td colspan="5">
                <form
                  method="post"
                  action="?/done"
                  use:enhance={() =>
                    async ({ update }) => {
                      doing = null;
                      await update();
                    }}
                >
                  <input type="hidden" name="id" value={t.id} />
                  <TextInput
                    name="outcome"
                    size="sm"
                    labelText="What came of it (may be empty)"
                    maxlength={500}
                    autofocus
                  />
                  <Button type="submit" size="small">Done{t.awaited ? ', they go on' : ''}</Button>
                  <Button kind="ghost" size="small" on:click={() => (doing = null)}>Not yet</Button>
                </form>
              </td>
            </tr>
          {/if}
        {/each}
      </tbody>
    </table>
    {#if data.tasks.length === 100}<p class="soft">The first 100 of them.</p>{/if}
  {:else if data.view === 'done'}
    <p class="empty">Nothing was done yet.</p>
  {:else}
    <p class="empty">
      {data.view === 'mine' && data.counts.all
        ? `Nothing for you. Others have ${plural(data.counts.all, 'task', 'tasks')}.`
        : 'Nothing to do. Journeys make tasks with the step Task.'}
    </p>
  {/if}
</div>

<style>
  .page {
    padding: 20px 24px;
  }
  header {
    display: flex;
    gap: 20px;
    align-items: center;
    margin-bottom: 14px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  .keys {
    margin-left: auto;
  }
  .when {
    white-space: nowrap;
  }
  .late {
    color: var(--attention);
    font-weight: 650;
  }
  .priority {
    font-weight: 650;
  }
  .doing form {
    display: flex;
    gap: 8px;
    align-items: end;
    max-width: 44rem;
    padding: 4px 0 8px;
  }
  .doing form :global(.bx--form-item) {
    flex: 1;
  }
  .do {
    text-align: right;
  }
  .problem {
    margin-bottom: 12px;
  }
</style>
