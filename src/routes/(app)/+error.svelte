<script lang="ts">
  import ErrorPage from '$ui/kit/ErrorPage.svelte';
</script>

<ErrorPage inFrame />
