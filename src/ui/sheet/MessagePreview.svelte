<script lang="ts">
  import Pick from '$ui/kit/Pick.svelte';
  import { emailHtml } from '$core/message/html.ts';
  import { distinctLinks, joinParts, type Part } from '$core/message/links.ts';
  import { fillIn, fillInParts } from '$core/message/personal.ts';
  import type { EmailStep } from '$core/steps/email.ts';
  import type { SmsStep } from '$core/steps/sms.ts';
  import type { SamplePerson } from '$server/people/sample.ts';

  let { step, sample, journeyName }: { step: EmailStep | SmsStep; sample: SamplePerson[]; journeyName: string } =
    $props();
  let at = $state(0);
  const person = $derived(sample[at] ?? sample[0]);

  const shown = $derived.by(() => {
    const scope = {
      person: person?.fields ?? {},
      journey: { name: journeyName },
      links: { unsubscribe: 'https://unsubscribe.invalid' }
    };
    try {
      const subject = step.kind === 'email' ? fillIn(step.subject ?? '', scope) : '';
      const preview = step.kind === 'email' ? fillIn(step.preview ?? '', scope) : '';
      return { ok: true as const, subject, preview, text: fillInParts(step.text ?? '', scope) };
    } catch (error) {
      return { ok: false as const, problem: (error as Error).message.split('\n')[0] ?? '' };
    }
  });
  const words = $derived<Part[]>(shown.ok ? shown.text : []);
  const links = $derived(distinctLinks(words));
  const html = $derived(
    shown.ok && step.kind === 'email'
      ? emailHtml({ subject: shown.subject, preview: '', text: shown.text, href: (url) => url, sender: '' })
      : ''
  );
</script>

<section>
  <Pick
    shown
    label="As seen by"
    options={sample.length
      ? sample.map((p, i) => [String(i), `${p.name}${p.fields['first_name'] ? '' : ' (no first name)'}`] as const)
      : [['0', 'someone of whom nothing is known']]}
    value={String(at)}
    onchange={(i) => (at = Number(i))}
  />
  {#if !shown.ok}
    <p class="problem" role="alert">{shown.problem}</p>
  {:else if step.kind === 'email'}
    <div class="mail">
      <p class="subject">{shown.subject || 'no subject'}<span>{shown.preview}</span></p>
      <iframe title="Preview of the email" sandbox="" srcdoc={html}></iframe>
    </div>
  {:else}
    <p class="bubble">{joinParts(words) || 'no words yet'}</p>
  {/if}
  {#if links.length}
    <p class="links"><strong>{links.length === 1 ? '1 link' : `${links.length} links`}, tracked</strong></p>
    <ol>
      {#each links as link (link)}<li>{link}</li>{/each}
    </ol>
  {/if}
</section>

<style>
  section {
    margin: 4px 0 14px;
  }
  .mail {
    border: 1px solid var(--rule);
  }
  .subject {
    padding: 6px 10px;
    overflow: hidden;
    font-weight: 650;
    text-overflow: ellipsis;
    white-space: nowrap;
    background: var(--surface-2);
    border-bottom: 1px solid var(--rule-soft);
  }
  .subject span {
    margin-left: 6px;
    color: var(--ink-soft);
    font-weight: 400;
  }
  iframe {
    display: block;
    width: 100%;
    height: 190px;
    border: 0;
  }
  .bubble {
    max-width: 220px;
    padding: 8px 12px;
    overflow-wrap: anywhere;
    white-space: pre-wrap;
    background: var(--ground);
    border: 1px solid var(--rule);
  }
  .problem {
    padding: 6px 10px;
    color: var(--failure);
    background: var(--failure-ground);
  }
  .links {
    margin-top: 8px;
    font-size: 12px;
  }
  ol {
    padding-left: 18px;
    color: var(--ink-soft);
    font-size: 12px;
    overflow-wrap: anywhere;
  }
</style>
