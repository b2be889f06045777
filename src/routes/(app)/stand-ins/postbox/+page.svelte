<svelte:head><title>Postbox · Ambulo</title></svelte:head>
<p class="soft">Choose a mail. Opening it fetches its pictures, so it counts as opened by the person it was sent to.</p>

<style>
  p {
    padding: 60px 40px;
  }
</style>
