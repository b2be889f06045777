<script lang="ts">
  import type { TagStep } from '$core/steps/tag.ts';
  import TagsInput from '../TagsInput.svelte';
  import type { PanelProps } from './panel.ts';

  let { step, set, known }: PanelProps<TagStep> = $props();
</script>

<div data-first>
  <TagsInput label="Put on" value={step.add ?? []} tags={known.tags} onchange={(v) => set('add', v, false)} />
</div>
<TagsInput
  label="Take off"
  value={step.remove ?? []}
  tags={known.tags}
  onchange={(v) => set('remove', v.length ? v : undefined)}
/>
