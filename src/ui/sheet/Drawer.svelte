<script lang="ts">
  import WarningAlt from 'carbon-icons-svelte/lib/WarningAlt.svelte';
  import { tick } from 'svelte';
  import { findingId, type Finding } from '$core/check/index.ts';
  import type { Journey } from '$core/journey/schema.ts';
  import { readThrough } from '$core/tell/read-through.ts';
  import CopyReview from './CopyReview.svelte';
  import FixButton from './FixButton.svelte';
  import type { Editor } from './editor.svelte.ts';

  interface Props {
    editor: Editor;
    /** As it was a moment ago. */
    document: Journey;
    findings: Finding[];
    /** Findings that somebody has accepted. */
    accepted?: { finding: Finding; reason: string; by: string }[];
    /** Accepts one with a reason, or (`null`) has it count again. */
    onaccept?: (finding: Finding, reason: string | null) => Promise<void>;
  }
  let { editor, document: journey, findings, accepted = [], onaccept }: Props = $props();
  /** Name of the finding whose reason is being typed: others may come and go meanwhile. */
  let accepting = $state<string | null>(null);
  let reason = $state('');
  async function accept(): Promise<void> {
    const finding = findings.find((f) => findingId(f) === accepting);
    if (!finding || !reason.trim()) return;
    accepting = null;
    await onaccept?.(finding, reason.trim());
    reason = '';
  }
  let chosen = $state<'read' | 'findings' | 'copied'>('read');
  let open = $state(true);
  let box = $state<HTMLDivElement>();
  const sentences = $derived(readThrough(journey));
  const copied = $derived(editor.toReview);
  const tab = $derived(chosen === 'copied' && !copied.length ? 'read' : chosen);
  const TITLES = { read: 'Read-through', findings: 'Findings', copied: 'Copied' };
  const selected = $derived(editor.selection.at === 'card' ? editor.selection.key : null);

  function go(step: string | null): void {
    editor.selection = step ? { at: 'card', key: step } : { at: 'journey' };
  }

  $effect(() => {
    if (editor.copied) [chosen, open] = ['copied', true];
  });
  $effect(() => {
    if (editor.showFindings) [chosen, open] = ['findings', true];
  });

  $effect(() => {
    // Both ways: what is selected on the sheet is brought into view here.
    if (selected) void tick().then(() => box?.querySelector('.here')?.scrollIntoView({ block: 'nearest' }));
  });
</script>

<section class="drawer" class:open aria-label="Read-through, findings, copies">
  <div class="bar">
    <div class="tabs" role="tablist">
      <button
        role="tab"
        aria-selected={tab === 'read'}
        aria-controls="drawer-box"
        onclick={() => ((chosen = 'read'), (open = true))}>Read-through</button
      >
      <button
        role="tab"
        aria-selected={tab === 'findings'}
        aria-controls="drawer-box"
        onclick={() => ((chosen = 'findings'), (open = true))}>Findings {findings.length}</button
      >
      {#if copied.length}
        <button
          role="tab"
          aria-selected={tab === 'copied'}
          aria-controls="drawer-box"
          onclick={() => ((chosen = 'copied'), (open = true))}>Copied, to look at {copied.length}</button
        >
      {/if}
    </div>
    <button class="act fold" aria-expanded={open} aria-controls="drawer-box" onclick={() => (open = !open)}
      >{open ? 'Fold away' : 'Show'}</button
    >
  </div>
  <div bind:this={box} id="drawer-box" class="box" role="tabpanel" tabindex="0" aria-label={TITLES[tab]} hidden={!open}>
    {#if tab === 'read'}
      {#each sentences as s, i (i)}
        <button class="sentence" class:here={s.step !== null && s.step === selected} onclick={() => go(s.step)}>
          <span class="moment">{s.moment}</span><span style="padding-left: {s.depth * 14}px">{s.text}</span>
        </button>
      {/each}
    {:else if tab === 'copied'}
      <CopyReview {editor} items={copied} />
    {:else}
      {#each findings as f, i (i)}
        <div class="finding">
          <button class="what" onclick={() => go(f.step)}>
            <WarningAlt size={16} aria-hidden="true" />
            <span
              >{#if f.severity === 'blocker'}<strong class="blocks">Blocks going live.</strong>{/if}{f.text}
              <em>{f.hint}</em></span
            >
          </button>
          <FixButton {editor} finding={f} />
          {#if f.severity === 'remark' && onaccept}
            {#if accepting === findingId(f)}
              <form
                onsubmit={(e) => {
                  e.preventDefault();
                  void accept();
                }}
              >
                <!-- svelte-ignore a11y_autofocus (it was asked for) -->
                <input
                  bind:value={reason}
                  aria-label="Why this is right as it is"
                  placeholder="Why it is right as it is"
                  maxlength="200"
                  autofocus
                  onkeydown={(e) => e.key === 'Escape' && (accepting = null)}
                />
                <button class="act">Accept</button>
              </form>
            {:else}
              <button class="act" onclick={() => ((accepting = findingId(f)), (reason = ''))}>Accept it …</button>
            {/if}
          {/if}
        </div>
      {:else}
        <p class="soft">
          No finding. Looked at: what is not finished, what nobody can reach or meet, questions asked too soon, links
          and personal fields, consent, hours and limits, and how it goes together with the other journeys.
        </p>
      {/each}
      {#each accepted as { finding, reason, by } (finding.check + finding.step + finding.text)}
        <div class="finding accepted">
          <button class="what" onclick={() => go(finding.step)}>
            <span></span><span>{finding.text} <em>Accepted by {by}: {reason}</em></span>
          </button>
          <button class="act" onclick={() => void onaccept?.(finding, null)}>Count it again</button>
        </div>
      {/each}
    {/if}
  </div>
</section>

<style>
  .finding :global(.act) {
    white-space: nowrap;
  }
  .accepted {
    color: var(--ink-soft);
  }
  form {
    display: flex;
    gap: 8px;
  }
  form input {
    width: 230px;
    height: 24px;
    padding: 0 8px;
    color: var(--ink);
    font-size: 13px;
    background: var(--ground);
    border: 0;
    border-bottom: 1px solid var(--rule-field);
  }
  .drawer {
    flex: none;
    background: var(--surface);
    border-top: 1px solid var(--rule-strong);
  }
  .bar {
    display: flex;
    justify-content: space-between;
    height: 34px;
    padding: 0 18px;
    border-bottom: 1px solid var(--rule-soft);
  }
  .tabs {
    display: flex;
    gap: 18px;
  }
  .tabs button {
    padding: 0;
    color: var(--ink-soft);
    font: inherit;
    background: none;
    border: 0;
    border-bottom: 2px solid transparent;
    cursor: pointer;
  }
  .tabs [aria-selected='true'] {
    color: var(--ink);
    font-weight: 650;
    border-bottom-color: var(--action);
  }
  .fold {
    font-size: 12.5px;
  }
  .box {
    height: 168px;
    padding: 6px 18px 10px;
    overflow: auto;
  }
  .box[hidden] {
    display: none;
  }
  .finding {
    display: flex;
    gap: 12px;
    align-items: start;
    padding-right: 4px;
  }
  .sentence,
  .what {
    display: grid;
    grid-template-columns: 104px 1fr;
    width: 100%;
    padding: 2px 4px;
    color: var(--ink);
    font: inherit;
    font-size: 13.5px;
    text-align: left;
    background: none;
    border: 0;
    cursor: pointer;
  }
  .sentence:hover,
  .what:hover {
    background: var(--hover);
  }
  .sentence.here {
    background: var(--action-ground);
  }
  .moment {
    color: var(--ink-soft);
  }
  .what {
    grid-template-columns: 24px 1fr;
    padding: 4px;
  }
  .what :global(svg) {
    margin-top: 1px;
    fill: var(--attention);
  }
  em {
    color: var(--ink-soft);
  }
</style>
