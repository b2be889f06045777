<script lang="ts">
  import type { ConsentStep } from '$core/steps/consent.ts';
  import Pick from '$ui/kit/Pick.svelte';
  import type { PanelProps } from './panel.ts';

  let { step, set }: PanelProps<ConsentStep> = $props();
</script>

<div data-first>
  <Pick
    shown
    label="Consent for"
    options={[
      ['email', 'email'],
      ['sms', 'texts']
    ]}
    value={step.channel}
    onchange={(channel) => set('channel', channel, false)}
  />
</div>
<Pick
  shown
  label="What happens to it"
  options={[
    ['pending', 'it is asked for, where none is given'],
    ['withdrawn', 'it is withdrawn']
  ]}
  value={step.state}
  onchange={(state) => set('state', state, false)}
/>
<p class="hint">
  {step.state === 'pending'
    ? 'They get a message with a link; only the button behind it gives consent. Whoever withdrew it is not written to.'
    : 'Nothing of this channel goes to them any more, from any journey.'}
</p>
