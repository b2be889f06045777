<script lang="ts">
  import { onMount } from 'svelte';
  import 'carbon-components-svelte/css/all.css';
  import '@fontsource-variable/atkinson-hyperlegible-next';
  import '@fontsource-variable/atkinson-hyperlegible-next/wght-italic.css';
  import '$ui/theme.css';

  let { children } = $props();
  // What is drawn is not yet what answers: who drives the page by a program waits for this.
  onMount(() => (document.documentElement.dataset['awake'] = ''));
</script>

{@render children()}
