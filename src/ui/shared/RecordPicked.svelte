<script lang="ts">
  import { recordsAnswer } from '$lib/core/contract/answers';
  import { problem } from '$lib/core/problems';
  import { Combobox, Marked } from '$lib/ui/parts';
  import { say } from '$lib/core/words/say';
  import { call } from '$lib/ui/shared/api';

  interface Props {
    table: string;
    record: number | null;
    /** The record in one line. */
    shown: string;
  }
  /** One record of a table, found by what is shown of it. */
  let { table, record = $bindable(), shown = $bindable() }: Props = $props();

  const id = $props.id();

  async function find(search: string, after?: string) {
    const query = new URLSearchParams({ search, limit: '50', ...(after ? { after } : {}) });
    const called = await call(recordsAnswer, `/api/tables/${table}/records?${query}`);
    if (!called.ok) return called.problems[0] ?? problem('unreachable');
    const choices = called.value.records.map(({ id, values, shown }) => ({
      value: id,
      text: Object.entries(values)
        .flatMap(([key, value]) => shown[key] ?? (typeof value === 'string' ? value : []))
        .slice(0, 3)
        .join(' · '),
    }));
    return { choices, next: called.value.next };
  }
</script>

<Combobox
  id="{id}-record"
  label={say('Record')}
  named
  {shown}
  {find}
  isCurrent={({ value }) => value === record}
  onchoose={(choice) => ([record, shown] = [choice?.value ?? null, choice?.text ?? ''])}
>
  {#snippet option({ text }, { typed })}<Marked {text} {typed} />{/snippet}
</Combobox>
