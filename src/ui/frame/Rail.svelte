<script lang="ts">
  import { page } from '$app/state';
  import Time from 'carbon-icons-svelte/lib/Time.svelte';
  import DirectionFork from 'carbon-icons-svelte/lib/DirectionFork.svelte';
  import UserMultiple from 'carbon-icons-svelte/lib/UserMultiple.svelte';
  import Task from 'carbon-icons-svelte/lib/Task.svelte';
  import Reply from 'carbon-icons-svelte/lib/Reply.svelte';
  import Settings from 'carbon-icons-svelte/lib/Settings.svelte';
  import Store from 'carbon-icons-svelte/lib/Store.svelte';

  const places = [
    { href: '/', name: 'Today', icon: Time },
    { href: '/journeys', name: 'Journeys', icon: DirectionFork },
    { href: '/people', name: 'People', icon: UserMultiple },
    { href: '/tasks', name: 'Tasks', icon: Task },
    { href: '/replies', name: 'Replies', icon: Reply },
    { href: '/stand-ins', name: 'Stand-ins', icon: Store },
    { href: '/settings', name: 'Settings', icon: Settings }
  ];
  const isHere = (href: string): boolean =>
    href === '/' ? page.url.pathname === '/' : page.url.pathname.startsWith(href);
</script>

<nav aria-label="Main">
  <a class="mark" href="/" aria-label="Ambulo, Today">Am</a>
  <ul>
    {#each places as { href, name, icon: Icon } (href)}
      <li>
        <a {href} aria-current={isHere(href) ? 'page' : undefined}><Icon size={20} aria-hidden="true" />{name}</a>
      </li>
    {/each}
  </ul>
</nav>

<style>
  nav {
    position: fixed;
    inset: 0 auto 0 0;
    z-index: 5;
    width: var(--rail);
    background: var(--ground);
    border-right: 1px solid var(--rule);
  }
  .mark {
    display: block;
    height: var(--top);
    color: var(--action);
    font-size: 18px;
    font-weight: 800;
    line-height: var(--top);
    text-align: center;
    text-decoration: none;
  }
  ul {
    list-style: none;
  }
  li a {
    display: flex;
    flex-direction: column;
    gap: 2px;
    align-items: center;
    padding: 9px 0 8px;
    color: var(--ink-soft);
    font-size: 11.5px;
    text-decoration: none;
    border-left: 3px solid transparent;
  }
  li a:hover {
    color: var(--action);
  }
  li a[aria-current] {
    color: var(--action);
    font-weight: 700;
    background: var(--surface);
    border-left-color: var(--action);
  }
  a:focus-visible {
    outline-offset: -3px;
  }
</style>
