<script lang="ts">
  import { num, say, spoken } from '$lib/core/words/say';
  import {
    everyOther,
    formActs,
    places,
    tableActs,
    type ActOnForm,
    type Place,
    type Role,
    type ActOnTable,
    type TableRight,
  } from '$lib/core/access/role';
  import { Button, Checkbox, Input, Ledger } from '$lib/ui/parts';
  import TableRights from './TableRights.svelte';

  interface Props {
    role: Role;
    tables: readonly {
      key: string;
      title: string;
      columns: readonly { key: string; label: string }[];
    }[];
    forms: readonly { key: string; title: string }[];
    /** Tables on which the role's condition cannot be read. */
    broken: readonly { table: string; message: string }[];
    /** Whether nothing can be changed. */
    fixed: boolean;
  }
  let { role = $bindable(), tables, forms, broken, fixed }: Props = $props();

  /** So many tables, or forms, stand in the matrix at once; of more, those that have rights of their own, or are found. */
  const most = 60;
  let wanted = $state('');

  function shownOf<T extends { key: string; title: string }>(
    all: readonly T[],
    own: Readonly<Record<string, unknown>>,
  ): readonly T[] {
    if (all.length <= most) return all;
    const text = wanted.trim().toLowerCase();
    const fits = ({ key, title }: T) =>
      text === '' ? key in own : title.toLowerCase().includes(text);
    return all.filter(fits).slice(0, most);
  }
  const shownTables = $derived(shownOf(tables, role.tables));
  const shownForms = $derived(shownOf(forms, role.forms));

  /** The table whose records and columns are looked at. */
  let open = $state<string | null>(null);

  const tableWords: Record<ActOnTable, string> = spoken(() => ({
    see: say('See'),
    add: say('Add'),
    change: say('Change'),
    remove: say('Remove'),
  }));
  const formWords: Record<ActOnForm, string> = spoken(() => ({
    fill: say('Fill in'),
    open: say('Open stored records'),
    design: say('Design'),
    publish: say('Publish'),
  }));
  const placeWords: Record<Place, string> = spoken(() => ({
    tables: say('make and change tables, import files'),
    forms: say('make and remove forms'),
    lists: say('change option lists'),
    outside: say('outside systems and queries'),
    invite: say('invite guests'),
    export: say('take data out'),
    activity: say('see who signed in and what was refused'),
    people: say('add people and give them roles'),
    backup: say('back up and restore'),
  }));
  const none: TableRight = { does: [], hidden: [], readOnly: [], when: '' };
  const others = { key: everyOther, title: say('Every other table'), columns: [] };
  const otherForms = { key: everyOther, title: say('Every other form') };

  const rightOf = (key: string): TableRight => role.tables[key] ?? role.tables[everyOther] ?? none;
  const formRightOf = (key: string): readonly ActOnForm[] =>
    role.forms[key] ?? role.forms[everyOther] ?? [];

  function change(key: string, right: Partial<TableRight>) {
    role = { ...role, tables: { ...role.tables, [key]: { ...rightOf(key), ...right } } };
  }

  function allowTable(key: string, deed: ActOnTable, on: boolean) {
    const kept = rightOf(key).does.filter((one) => one !== deed);
    // What cannot be seen, cannot be changed either; and the other way round.
    const does = on ? [...new Set([...kept, 'see' as const, deed])] : deed === 'see' ? [] : kept;
    change(key, { does });
  }

  function allowForm(key: string, deed: ActOnForm, on: boolean) {
    const kept = formRightOf(key).filter((one) => one !== deed);
    role = { ...role, forms: { ...role.forms, [key]: on ? [...kept, deed] : kept } };
  }

  function allowPlace(place: Place, on: boolean) {
    const kept = role.places.filter((one) => one !== place);
    role = { ...role, places: on ? [...kept, place] : kept };
  }

  function columnWords({ hidden, readOnly }: TableRight): string {
    const parts = [
      ...(hidden.length > 0 ? [say(`${hidden.length} hidden`)] : []),
      ...(readOnly.length > 0 ? [say(`${readOnly.length} read-only`)] : []),
    ];
    return parts.length === 0 ? say('all') : parts.join(', ');
  }
</script>

{#if Math.max(tables.length, forms.length) > most}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <Input
      class="w-64!"
      type="search"
      placeholder={say('Find tables and forms')}
      aria-label={say('Find tables and forms')}
      bind:value={wanted}
    />
    <span class="quiet">
      {wanted.trim() === ''
        ? say('Those with rights of their own are shown.')
        : say(`At most ${num(most)} of each are shown.`)}
    </span>
  </div>
{/if}
<Ledger>
  <thead>
    <tr>
      <th>Tables</th>
      {#each tableActs as deed (deed)}<th>{tableWords[deed]}</th>{/each}
      <th>Records</th><th>Columns</th>
    </tr>
  </thead>
  <tbody>
    {#each [...shownTables, others] as table (table.key)}
      {@const { key, title } = table}
      {@const right = rightOf(key)}
      {@const fault = broken.find((one) => one.table === key)}
      <tr class={open === key ? 'bg-wash' : ''}>
        <td class={key === everyOther ? 'text-soft' : 'font-semibold'}>{title}</td>
        {#each tableActs as deed (deed)}
          <td>
            <span class="flex h-5 items-center"
              ><Checkbox
                aria-label={say(`${tableWords[deed]}: ${title}`)}
                checked={right.does.includes(deed)}
                disabled={fixed}
                onchange={(event) => allowTable(key, deed, event.currentTarget.checked)}
              /></span
            >
          </td>
        {/each}
        {#if key === everyOther || fixed}
          <td class="text-soft">{say('all')}</td>
          <td class="text-soft">{say('all')}</td>
        {:else}
          <td>
            <Button
              kind="link"
              aria-expanded={open === key}
              aria-label={say(`Records of ${title}`)}
              onclick={() => (open = open === key ? null : key)}
            >
              {fault ? say('cannot be read') : right.when === '' ? say('all') : say('some')}
            </Button>
          </td>
          <td>
            <Button
              kind="link"
              aria-expanded={open === key}
              aria-label={say(`Columns of ${title}`)}
              onclick={() => (open = open === key ? null : key)}>{columnWords(right)}</Button
            >
          </td>
        {/if}
      </tr>
      {#if open === key}
        <tr class="bg-wash">
          <td colspan="7">
            <TableRights role={role.key} {table} {right} onchange={(part) => change(key, part)} />
          </td>
        </tr>
      {/if}
    {/each}
  </tbody>
</Ledger>
<Ledger class="mt-6">
  <thead>
    <tr>
      <th>Forms</th>
      {#each formActs as deed (deed)}<th>{formWords[deed]}</th>{/each}
    </tr>
  </thead>
  <tbody>
    {#each [...shownForms, otherForms] as { key, title } (key)}
      <tr>
        <td class={key === everyOther ? 'text-soft' : 'font-semibold'}>{title}</td>
        {#each formActs as deed (deed)}
          <td>
            <span class="flex h-5 items-center"
              ><Checkbox
                aria-label={say(`${formWords[deed]}: ${title}`)}
                checked={formRightOf(key).includes(deed)}
                disabled={fixed}
                onchange={(event) => allowForm(key, deed, event.currentTarget.checked)}
              /></span
            >
          </td>
        {/each}
      </tr>
    {/each}
  </tbody>
</Ledger>
<p class="quiet mt-2 mb-4">
  Whoever may fill in a form writes what its plan writes, without a right to its tables. A form
  shows the columns it keeps; its lists, and what they bring along, show what the person may see.
</p>
<fieldset class="m-0 border-0 p-0">
  <legend class="mb-1 p-0 font-serif text-[16px] font-semibold">May also</legend>
  <div class="grid gap-1.5 sm:grid-cols-2">
    {#each places as place (place)}
      <Checkbox
        checked={role.places.includes(place)}
        disabled={fixed}
        onchange={(event) => allowPlace(place, event.currentTarget.checked)}
        >{placeWords[place]}</Checkbox
      >
    {/each}
  </div>
</fieldset>
