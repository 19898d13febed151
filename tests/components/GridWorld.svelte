<script lang="ts">
  import { Grid, Input, type Block } from '$lib/ui/parts';

  interface Props {
    rows: number;
    oncommand?: (command: { do: string }, row: number, block: Block) => boolean;
    onchange?: (cells: readonly (readonly string[])[]) => void;
  }
  /** A grid of three columns: two to write into, and one that is closed between them. */
  let { rows, oncommand = () => false, onchange = () => undefined }: Props = $props();

  const columns = [
    { key: 'score', label: 'Score' },
    { key: 'copies', label: 'Copies', numeric: true },
    { key: 'note', label: 'Note' },
  ];
  // svelte-ignore state_referenced_locally
  let cells = $state(
    Array.from({ length: rows }, (_, r) => [`Score ${r + 1}`, String(r + 1), `note ${r + 1}`]),
  );
  let before = '';
  let place = $state({ row: 0, column: 0 });
  let grid = $state<ReturnType<typeof Grid>>();

  function put(row: number, column: number, text: string) {
    const line = cells[row];
    if (!line) return;
    line[column] = text;
    onchange($state.snapshot(cells));
  }

  export const focus = (row: number, column: number) => grid?.focus(row, column);
</script>

<Grid
  bind:this={grid}
  label="Lines"
  {columns}
  count={cells.length}
  framed
  keyOf={(row) => row}
  look={(row, column) => ({
    text: cells[row]?.[column] ?? '',
    name: `${columns[column]?.label}, line ${row + 1}`,
    closed: column === 1,
    bad: cells[row]?.[column] === 'wrong' ? 'This is wrong.' : null,
  })}
  address={(row, column) => `lines/${row}/${column}`}
  find={(address) => {
    const [, row, column] = /^lines\/(\d+)\/(\d+)$/.exec(address) ?? [];
    return row === undefined ? null : { row: Number(row), column: Number(column) };
  }}
  onedit={(row, column) => {
    before = cells[row]?.[column] ?? '';
    return true;
  }}
  onleave={() => true}
  onundo={() => {
    const { row, column } = place;
    put(row, column, before);
  }}
  {oncommand}
  onpaste={(text, block) => {
    text.split('\n').forEach((line, r) => {
      line.split('\t').forEach((cell, c) => put(block.top + r, block.left + c, cell));
    });
  }}
  oncopy={({ top, bottom, left, right }) =>
    cells
      .slice(top, bottom + 1)
      .map((line) => line.slice(left, right + 1).join('\t'))
      .join('\n')}
  leadLabel="Line"
  bind:at={place}
>
  {#snippet lead(row)}{row + 1}{/snippet}
  {#snippet editor(row, column)}
    <Input
      aria-label="{columns[column]?.label}, line {row + 1}"
      value={cells[row]?.[column] ?? ''}
      oninput={(event) => put(row, column, event.currentTarget.value)}
    />
  {/snippet}
</Grid>
