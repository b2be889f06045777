<script lang="ts">
  import { onMount } from 'svelte';
  import { provideFormat } from '$ui/format.ts';
  import Rail from '$ui/frame/Rail.svelte';
  import TopLine from '$ui/frame/TopLine.svelte';
  import { refreshLive } from '$ui/kit/refresh.ts';
  import type { LayoutData } from './$types';
  import type { Snippet } from 'svelte';

  let { data, children }: { data: LayoutData; children: Snippet } = $props();
  // The zone is the workspace's and does not change while a page is open.
  // svelte-ignore state_referenced_locally
  provideFormat(data.clock.zone);

  onMount(() => {
    const source = new EventSource('/api/live');
    let running = false;
    const waiting = new Set<string>();
    const refresh = async (): Promise<void> => {
      if (running) return;
      running = true;
      while (waiting.size) {
        const names = [...waiting];
        waiting.clear();
        await refreshLive(names);
      }
      running = false;
    };
    source.onmessage = ({ data: names }: MessageEvent<string>) => {
      for (const name of names.split(' ')) waiting.add(name);
      void refresh();
    };
    // What was said while nobody listened is not said again: neither between two connections, nor between the moment the
    // page was made and the first one.
    source.onopen = () => void refreshLive();
    return () => source.close();
  });
</script>

<a class="skip-link" href="#page">To the page</a>
<Rail />
<div class="beside">
  <TopLine clock={data.clock} skip={data.skip} user={data.user} />
  <main id="page">{@render children()}</main>
</div>

<style>
  .skip-link {
    position: absolute;
    top: -3rem;
    left: 0;
    z-index: 10;
    padding: 0.5rem 1rem;
    background: var(--surface);
  }
  .skip-link:focus {
    top: 0;
  }
  .beside {
    display: flex;
    flex-direction: column;
    min-height: 100vh;
    margin-left: var(--rail);
  }
  main {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
  }
</style>
