<script lang="ts">
  import 'carbon-components-svelte/css/all.css';
  import '@fontsource-variable/atkinson-hyperlegible-next';
  import '@fontsource-variable/atkinson-hyperlegible-next/wght-italic.css';
  import '$ui/theme.css';

  let { children } = $props();
</script>

{@render children()}
