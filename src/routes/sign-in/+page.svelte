<script lang="ts">
  import { Button, PasswordInput, TextInput } from 'carbon-components-svelte';
  import type { ActionData, PageData } from './$types';

  let { data, form }: { data: PageData; form: ActionData } = $props();
</script>

<svelte:head><title>Sign in · Ambulo</title></svelte:head>

<main>
  <p class="mark" aria-hidden="true">Am</p>
  <h1>Sign in to Ambulo</h1>
  <form method="post">
    {#if form?.problem}<p class="problem" role="alert">{form.problem}</p>{/if}
    <TextInput
      labelText="Email"
      name="email"
      type="email"
      autocomplete="username"
      required
      value={form?.email ?? data.demo?.email ?? ''}
    />
    <PasswordInput
      labelText="Password"
      name="password"
      autocomplete="current-password"
      required
      value={data.demo?.password ?? ''}
    />
    <Button type="submit">Sign in</Button>
  </form>
  {#if data.demo}
    <p class="demo">
      Demo account: <strong>{data.demo.email}</strong>, password <strong>{data.demo.password}</strong>. It is filled in
      already.
    </p>
  {/if}
</main>

<style>
  main {
    width: 24rem;
    max-width: 100%;
    margin: 12vh auto 0;
    padding: 2rem;
    background: var(--surface);
    border: 1px solid var(--rule);
  }
  .mark {
    color: var(--action);
    font-size: 1.25rem;
    font-weight: 800;
  }
  h1 {
    margin: 0.25rem 0 1.5rem;
    font-size: 1.125rem;
    font-weight: 700;
  }
  form {
    display: grid;
    gap: 1rem;
  }
  .problem {
    padding: 0.5rem 0.75rem;
    color: var(--failure);
    background: var(--failure-ground);
    border-left: 3px solid var(--failure);
  }
  .demo {
    margin-top: 1.5rem;
    padding-top: 1rem;
    color: var(--ink-soft);
    font-size: 0.8125rem;
    border-top: 1px solid var(--rule);
  }
</style>
