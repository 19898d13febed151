<script lang="ts">
  import Guest from '$lib/ui/access/Guest.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head>
  <title>{data.title} – Unisor</title>
  <meta name="robots" content="noindex" />
</svelte:head>
<Guest
  token={data.token}
  form={data.form}
  title={data.title}
  endsAt={data.endsAt}
  adds={data.adds}
  usesLeft={data.usesLeft}
  challenge={data.challenge}
/>
