<!-- A few views of one page, as a row of links of which one is here. -->
<script lang="ts">
  interface Props {
    label: string;
    views: { href: string; words: string; here: boolean; /** How many are there. */ count?: string }[];
  }
  let { label, views }: Props = $props();
</script>

<nav aria-label={label}>
  {#each views as v (v.href)}
    <a href={v.href} aria-current={v.here ? 'page' : undefined}
      >{v.words}{#if v.count !== undefined}<span class="soft">{v.count}</span>{/if}</a
    >
  {/each}
</nav>

<style>
  nav {
    display: inline-flex;
    flex: none;
    border: 1px solid var(--rule-strong);
  }
  a {
    padding: 4px 12px;
    color: var(--ink-soft);
    font-size: 13.5px;
    text-decoration: none;
    background: var(--surface);
  }
  a + a {
    border-left: 1px solid var(--rule-strong);
  }
  span {
    margin-left: 4px;
  }
  a[aria-current] {
    color: var(--action);
    font-weight: 650;
    background: var(--action-ground);
  }
</style>
