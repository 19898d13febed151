<script lang="ts">
  import type { Column } from '$lib/core/table/definition';
  import type { Plan } from '$lib/core/plan/schema';
  import { tablesWith } from '$lib/core/table/sources';
  import { wireForm } from '$lib/core/wiring/form';
  import FormBody from '$lib/ui/filling/FormBody.svelte';
  import { EntrySession } from '$lib/ui/filling/session.svelte';
  import { table } from '../support/definitions';

  interface Props {
    plan: Plan;
    /** The columns of the table of its lines. */
    lineColumns: Column[];
    ondrawn: (session: EntrySession) => void;
  }
  /** A form as it is filled, on tables with nothing in them. */
  let { plan, lineColumns, ondrawn }: Props = $props();

  // svelte-ignore state_referenced_locally
  const tables = tablesWith({ tables: [table(plan.table, []), table('line', lineColumns)] });
  // svelte-ignore state_referenced_locally
  const session = new EntrySession('f', { edition: 1 }, wireForm(plan, tables), tables);
  // svelte-ignore state_referenced_locally
  ondrawn(session);
</script>

<FormBody {session} page={0} />
