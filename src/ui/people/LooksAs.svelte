<script lang="ts">
  import { invalidateAll } from '$app/navigation';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { Button } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';

  interface Props {
    /** Whose eyes are borrowed. */
    person: string;
  }
  let { person }: Props = $props();

  async function goBack() {
    await call(nothingWanted, '/api/account/looks-as', { method: 'DELETE' });
    await invalidateAll();
  }
</script>

<div
  class="border-line bg-wash flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-b px-5 py-1.5"
  role="status"
>
  <span>You see every page as <b>{person}</b> does. Nothing can be changed.</span>
  <Button kind="link" onclick={goBack}>Back to your own account</Button>
</div>
