<script lang="ts">
  import { page } from '$app/state';

  interface Props {
    /** The key of the form. */
    form: string;
  }
  let { form }: Props = $props();

  /** The pages that show such links say how forms are called. */
  const forms = $derived((page.data.forms ?? []) as { key: string; title: string }[]);
  const title = $derived(forms.find(({ key }) => key === form)?.title ?? form);
</script>

<a class="ref" href="/forms/{form}">{title}</a>
