<script lang="ts">
  import { invalidateAll } from '$app/navigation';
  import { send } from '$ui/api.ts';
  import { useFormat } from '$ui/format.ts';
  import { listen } from '$ui/api.ts';
  import Outcome from '$ui/import/Outcome.svelte';
  import type { PageData } from './$types';

  let { data }: { data: PageData } = $props();
  const format = useFormat();
  let problem = $state('');

  async function act(what: 'stop' | 'go on' | 'undo' | 'read again'): Promise<void> {
    problem = '';
    const { id, file } = data.line;
    try {
      if (what === 'read again')
        await listen(
          `/api/people/import/${file}/check`,
          { import: id, plan: data.plan },
          new AbortController().signal,
          () => undefined
        );
      const answer = await send('POST', `/api/people/imports/${id}`, { act: what === 'read again' ? 'go on' : what });
      if (!answer.ok) problem = answer.message;
    } catch (error) {
      problem = (error as Error).message;
    }
    await invalidateAll();
  }
</script>

<svelte:head><title>{data.line.name} · Ambulo</title></svelte:head>

<div class="page">
  <h1>{data.line.name}</h1>
  <p class="soft">Begun {format.dateTime(data.line.at)} by {data.line.by}</p>
  <Outcome line={data.line} stays={data.stays} act={(what) => void act(what)} {problem} />
</div>

<style>
  .page {
    padding: 16px 24px;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
</style>
