<script lang="ts">
  import { page } from '$app/state';
  import type { Clock } from '$server/workspace/clock.ts';
  import type { SkipRow } from '$server/running/skip.ts';
  import ClockAndSkip from './ClockAndSkip.svelte';
  import FindAnything from './FindAnything.svelte';

  let { clock, skip, user }: { clock: Clock; skip: SkipRow | null; user: { name: string } } = $props();
  const crumbs = $derived((page.data['crumbs'] as { name: string; href?: string }[] | undefined) ?? []);
</script>

<header>
  <nav aria-label="Where you are">
    <ol>
      {#each crumbs as crumb, i (i)}
        <li>
          {#if crumb.href && i < crumbs.length - 1}<a href={crumb.href}>{crumb.name}</a>{:else}<strong
              aria-current="page">{crumb.name}</strong
            >{/if}
        </li>
      {/each}
    </ol>
  </nav>
  <FindAnything />
  <ClockAndSkip {clock} {skip} />
  <form method="post" action="/sign-out"><button class="who" title="Sign out">{user.name}</button></form>
</header>

<style>
  header {
    position: sticky;
    top: 0;
    z-index: 4;
    display: flex;
    gap: 16px;
    align-items: center;
    height: var(--top);
    padding: 0 18px;
    background: var(--ground);
    border-bottom: 1px solid var(--rule);
  }
  nav {
    flex: 1;
    min-width: 0;
  }
  ol {
    display: flex;
    overflow: hidden;
    list-style: none;
    white-space: nowrap;
  }
  li {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  li + li::before {
    padding: 0 6px;
    color: var(--ink-soft);
    content: '/';
  }
  li a {
    color: var(--ink-soft);
    text-decoration: none;
  }
  li a:hover {
    text-decoration: underline;
  }
  .who {
    padding: 4px 0;
    color: var(--ink);
    font: inherit;
    white-space: nowrap;
    background: none;
    border: 0;
    cursor: pointer;
  }
  .who:hover {
    text-decoration: underline;
  }
</style>
