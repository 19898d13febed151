<script lang="ts">
  import { Button, Checkbox, Input } from '$lib/ui/parts';
  import type { Column } from '$lib/core/table/definition';
  import { columnsShown, type ViewColumn } from '$lib/core/table/view';

  interface Props {
    columns: readonly Column[];
    shown: readonly ViewColumn[] | null;
    onchange: (shown: ViewColumn[] | null) => void;
  }
  let { columns, shown, onchange }: Props = $props();

  const now = $derived(
    columnsShown(columns, { columns: shown ? [...shown] : null }).map(({ key }) => ({
      column: key,
      width: shown?.find(({ column }) => column === key)?.width ?? null,
    })),
  );
  /** Those that are shown in their order, then the hidden ones. */
  const listed = $derived([
    ...now.flatMap(({ column }) => columns.find(({ key }) => key === column) ?? []),
    ...columns.filter(({ key }) => !now.some(({ column }) => column === key)),
  ]);

  const isShown = (key: string) => now.some(({ column }) => column === key);

  function toggle(key: string) {
    const others = now.filter(({ column }) => column !== key);
    if (others.length === now.length) onchange([...now, { column: key, width: null }]);
    else if (others.length > 0) onchange(others);
  }

  function move(place: number, by: -1 | 1) {
    const moved = [...now];
    const [one] = moved.splice(place, 1);
    if (one) moved.splice(place + by, 0, one);
    onchange(moved);
  }

  function widen(key: string, typed: string) {
    const width = typed.trim() === '' ? null : Math.max(48, Math.min(1200, Math.round(+typed)));
    if (Number.isNaN(width)) return;
    onchange(now.map((one) => (one.column === key ? { ...one, width } : one)));
  }
</script>

<ul class="m-0 grid list-none grid-cols-[repeat(auto-fill,minmax(330px,1fr))] gap-x-8 gap-y-1 p-0">
  {#each listed as { key, label }, i (key)}
    <li class="flex items-center gap-2">
      <label class="flex min-w-0 grow items-center gap-2">
        <Checkbox checked={isShown(key)} onchange={() => toggle(key)} />
        <span class="truncate {isShown(key) ? '' : 'text-soft'}">{label}</span>
      </label>
      {#if isShown(key)}
        <Button
          kind="bare"
          aria-label="Move {label} to the left"
          disabled={i === 0}
          onclick={() => move(i, -1)}>←</Button
        >
        <Button
          kind="bare"
          aria-label="Move {label} to the right"
          disabled={i === now.length - 1}
          onclick={() => move(i, 1)}>→</Button
        >
        <Input
          class="h-7! w-18! text-end"
          aria-label="Width of {label} in pixels"
          placeholder="width"
          inputmode="numeric"
          value={now[i]?.width ?? ''}
          onchange={({ currentTarget }) => widen(key, currentTarget.value)}
        />
      {/if}
    </li>
  {/each}
</ul>
{#if shown}
  <div>
    <Button kind="link" onclick={() => onchange(null)}>All columns, as the table has them</Button>
  </div>
{/if}
