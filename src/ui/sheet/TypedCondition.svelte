<!-- A rule as it is typed, with what could come next; Enter takes it. -->
<script lang="ts">
  import { offered, readCondition } from '$core/condition/typed.ts';
  import type { Condition } from '$core/condition/schema.ts';
  import { conditionWords } from '$core/tell/condition.ts';
  import { typedNames } from './condition.ts';
  import type { Nameable } from './panels/panel.ts';

  let { known, onread }: { known: Nameable; onread: (condition: Condition) => void } = $props();
  const id = $props.id();

  let text = $state('');
  let at = $state(-1);
  let open = $state(false);
  let tried = $state(false);
  const names = $derived(typedNames(known));
  const choices = $derived(open && text.trim() !== '' ? offered(text, names) : []);
  const read = $derived(text.trim() === '' ? null : readCondition(text, names));
  const title = (key: string): string => names.messages.find((m) => m.key === key)?.name ?? key;

  function choose(choice: string): void {
    // Another word comes behind most of them.
    text = `${choice} `;
    at = -1;
    tried = false;
  }
  function onkeydown(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown' && choices.length) at = (at + 1) % choices.length;
    else if (event.key === 'ArrowUp' && choices.length) at = (at + choices.length - 1) % choices.length;
    else if (event.key === 'Tab' && choices.length && !event.shiftKey && at >= 0) choose(choices[at] ?? text);
    else if (event.key === 'Enter') {
      const choice = choices[at];
      if (choice !== undefined) choose(choice);
      else if (read && 'condition' in read) {
        onread(read.condition);
        text = '';
        tried = false;
      } else tried = true;
    } else if (event.key === 'Escape' && text !== '') {
      text = '';
      event.stopPropagation();
    } else return;
    event.preventDefault();
  }
</script>

<div class="typed">
  <input
    bind:value={text}
    {onkeydown}
    oninput={() => ((open = true), (at = -1), (tried = false))}
    onblur={() => (open = false)}
    placeholder="Type a rule: tag is keen and visits > 3"
    aria-label="Type a rule"
    role="combobox"
    aria-expanded={choices.length > 0}
    aria-controls="offered-{id}"
    aria-activedescendant={at >= 0 ? `offered-${id}-${at}` : undefined}
    aria-describedby="read-{id}"
    aria-invalid={tried && read !== null && 'problem' in read}
    autocomplete="off"
    spellcheck="false"
  />
  {#if choices.length}
    <ul id="offered-{id}" role="listbox" aria-label="What could be typed">
      {#each choices as choice, i (choice)}
        <!-- svelte-ignore a11y_click_events_have_key_events (the keys are the input's) -->
        <li
          id="offered-{id}-{i}"
          role="option"
          aria-selected={i === at}
          onmousedown={(e) => e.preventDefault()}
          onclick={() => choose(choice)}
        >
          {choice}
        </li>
      {/each}
    </ul>
  {/if}
  {#if read}
    <p id="read-{id}" class="soft" class:bad={tried && 'problem' in read} role="status">
      {'condition' in read ? `Enter takes: they ${conditionWords(read.condition, title)}` : `${read.problem}.`}
    </p>
  {/if}
</div>

<style>
  .typed {
    position: relative;
    margin-bottom: 6px;
  }
  input {
    width: 100%;
    height: 32px;
    padding: 0 10px;
    color: var(--ink);
    font-size: 14px;
    background: var(--ground);
    border: 0;
    border-bottom: 1px solid var(--rule-field);
    box-sizing: border-box;
  }
  input::placeholder {
    color: var(--ink-soft);
  }
  ul {
    position: absolute;
    right: 0;
    left: 0;
    z-index: 6;
    list-style: none;
    background: var(--surface);
    border: 1px solid var(--action);
    box-shadow: 0 6px 20px var(--shade);
  }
  li {
    padding: 4px 10px;
    font-size: 13.5px;
    cursor: pointer;
  }
  li[aria-selected='true'] {
    background: var(--action-ground);
  }
  .typed p {
    margin: 3px 0 0;
    font-size: 12.5px;
  }
  .bad {
    color: var(--failure);
  }
</style>
