<script lang="ts">
  import ApiReader from '$lib/ui/people/ApiReader.svelte';
</script>

<svelte:head><title>What programs can ask – Unisor</title></svelte:head>
<div class="headline">
  <h1>What programs can ask</h1>
  <span class="quiet">
    With a token of your <a class="textlink" href="/account">account</a>. What you try here is done,
    under your name.
  </span>
  <a class="textlink ms-auto" href="/api/openapi.json" download="unisor.openapi.json">
    OpenAPI 3.1
  </a>
</div>
<ApiReader />
