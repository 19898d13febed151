<script lang="ts">
  import { page } from '$app/state';

  interface Props {
    /** The key of the form. */
    form: string;
  }
  let { form }: Props = $props();

  const places = $derived((page.data.places ?? []) as { label: string; href: string }[]);
  const href = $derived(`/forms/${form}`);
  const known = $derived(places.find((place) => place.href === href));
</script>

<a class="ref" {href}>{known?.label ?? form}</a>
