<!-- What happens to the people of a file: those who are known, labels for all, consent and its source, whether journeys hear. -->
<script lang="ts">
  import { Checkbox, TextArea, TextInput } from 'carbon-components-svelte';
  import type { ImportPlan } from '$server/imports/plan.ts';
  import Pick from '$ui/kit/Pick.svelte';

  interface Props {
    plan: ImportPlan;
    onchange: (change: Partial<ImportPlan>) => void;
  }
  let { plan, onchange }: Props = $props();

  const labels = (text: string): string[] => [
    ...new Set(
      text
        .split(';')
        .map((l) => l.trim().slice(0, 80))
        .filter(Boolean)
    )
  ];
  type Way = ImportPlan['consent']['email'];
  const ways = (target: 'consent_email' | 'consent_sms'): (readonly [Way, string])[] => [
    ['none', 'not spoken of'],
    ...(plan.columns.some((c) => c.target === target) ? [['file', 'as the column says'] as const] : []),
    ['given', 'given by everybody'],
    ['pending', 'asked, not confirmed']
  ];
  const consents = $derived(plan.consent.email !== 'none' || plan.consent.sms !== 'none');
  const consent = (change: Partial<ImportPlan['consent']>): void =>
    onchange({ consent: { ...plan.consent, ...change } });
</script>

<div class="parts">
  <Pick
    label="People who are known already"
    shown
    options={[
      ['update', 'take the file’s values'],
      ['fill', 'only fill what is empty'],
      ['leave', 'leave them alone']
    ]}
    value={plan.known}
    onchange={(known) => onchange({ known })}
  />
  <Pick
    label="Values that do not fit their field"
    shown
    options={[
      ['refuse', 'refuse the row'],
      ['leave out', 'leave the value out']
    ]}
    value={plan.misfits}
    onchange={(misfits) => onchange({ misfits })}
  />
  <TextInput
    size="sm"
    labelText="Tags for everybody, with ;"
    value={plan.tags.join('; ')}
    on:change={(e) => onchange({ tags: labels(String(e.detail ?? '')) })}
  />
  <TextInput
    size="sm"
    labelText="Lists for everybody, with ;"
    value={plan.lists.join('; ')}
    on:change={(e) => onchange({ lists: labels(String(e.detail ?? '')) })}
  />
  <Pick
    label="Consent for email"
    shown
    options={ways('consent_email')}
    value={plan.consent.email}
    onchange={(email) => consent({ email })}
  />
  <Pick
    label="Consent for text"
    shown
    options={ways('consent_sms')}
    value={plan.consent.sms}
    onchange={(sms) => consent({ sms })}
  />
</div>
{#if consents}
  <TextInput
    size="sm"
    labelText="Where the consent was given"
    placeholder="paper form at the desk, May 2027"
    maxlength={200}
    value={plan.consent.source}
    on:change={(e) => consent({ source: String(e.detail ?? '') })}
  />
  <TextArea
    rows={2}
    labelText="What they agreed to, in the words they saw (if you have them)"
    maxlength={2000}
    value={plan.consent.wording}
    on:change={(e) => consent({ wording: (e.target as HTMLTextAreaElement).value })}
  />
{/if}
<Checkbox
  labelText="Take in again who was erased on request"
  checked={plan.erased === 'take'}
  on:check={(e) => {
    if (e.detail !== (plan.erased === 'take')) onchange({ erased: e.detail ? 'take' : 'refuse' });
  }}
/>
<Checkbox
  labelText="Journeys hear of what changes"
  checked={plan.begins}
  on:check={(e) => {
    if (e.detail !== plan.begins) onchange({ begins: e.detail });
  }}
/>

<style>
  .parts {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px 10px;
    align-items: end;
    margin-bottom: 8px;
  }
</style>
