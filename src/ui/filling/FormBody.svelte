<script lang="ts">
  import { onMount } from 'svelte';
  import { SvelteMap } from 'svelte/reactivity';
  import { plural, say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import { reaches } from '$lib/ui/shared/focus';
  import FormField from './FormField.svelte';
  import GridSection from './GridSection.svelte';
  import RowsOfTable from './RowsOfTable.svelte';
  import SidePanel from './SidePanel.svelte';
  import { type Field, type Section } from '$lib/core/plan/schema';
  import { pagesOf } from '$lib/core/plan/scopes';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    prefix?: string;
    /** At most so many columns, for a narrow place. */
    mostColumns?: number;
    /** The page that is shown, from 0. */
    page?: number;
    /** The field to be marked. */
    lit?: string | null;
    onhover?: (field: string | null) => void;
    /** Whether it stands in a panel already, beside another form. */
    nested?: boolean;
    /** Whether what chosen records bring is told beside the form where there is room. */
    facts?: boolean;
  }
  let {
    session,
    prefix = 'f',
    mostColumns = 3,
    page = $bindable(0),
    lit = null,
    onhover,
    nested = false,
    facts = false,
  }: Props = $props();

  /** The folded sections that were opened, and those that were folded again. */
  const turned = new SvelteMap<string, boolean>();
  const isFolded = (section: Section) => turned.get(section.key) ?? section.folded ?? false;

  /** What is wrong, or still missing, in a section: told while it is folded. */
  function lacking(section: Section): string {
    const own = new Set(section.fields.map(({ key }) => key));
    const found = [...session.problems.all, ...session.problems.told].filter(({ path }) =>
      own.has(path),
    );
    const missing = found.filter(({ code }) => code === 'required').length;
    const wrong = new Set(found.map(({ path }) => path)).size - missing;
    return [
      ...(missing > 0
        ? [plural(missing, ['# field is still missing', '# fields are still missing'])]
        : []),
      ...(wrong > 0 ? [plural(wrong, ['# to fix', '# to fix'])] : []),
    ].join(', ');
  }

  // Who is sent to a field in a folded section finds it open.
  onMount(() =>
    reaches((address) => {
      const within = sections.find((section) =>
        section.fields.some(({ key }) => address === key || address.endsWith(` ${key}`)),
      );
      if (!within || !isFolded(within)) return false;
      turned.set(within.key, false);
      return true;
    }),
  );

  const pages = $derived(pagesOf(session.form.plan));
  const sections = $derived((pages[page] ?? pages[0])?.sections ?? []);

  /** Whether a field stands in the form now. */
  function stands({ key, shows }: Field): boolean {
    return shows !== 'nothing' && !session.cell(key).hidden;
  }

  /** How many problems are told on a page. */
  function problemsOn(sections: readonly Section[]): number {
    if (!session.problems.showsAll && session.problems.told.length === 0) return 0;
    const paths = [...session.problems.all, ...session.problems.told].map((found) => found.path);
    return new Set(paths.filter((path) => sections.some((section) => holds(section, path)))).size;
  }

  const inside = (grid: string) => session.gridsWithin(grid).map(({ key }) => key);

  function holds(section: Section, path: string): boolean {
    if (section.grid)
      return [section.key, ...inside(section.key)].some((k) => path.startsWith(`${k}[`));
    return section.fields.some((field) => field.key === path);
  }
</script>

{#if pages.length > 1}
  <div
    class="mb-3.5 flex flex-wrap gap-x-4.5 gap-y-1 border-b border-line"
    role="group"
    aria-label="Pages"
  >
    {#each pages as { title, sections }, i (i)}
      {@const found = problemsOn(sections)}
      <Button
        kind="bare"
        class={[
          'rounded-none px-0.5 py-1.5',
          i === page && 'font-semibold shadow-[inset_0_-2px_0_var(--marigold)]',
        ]}
        aria-current={i === page ? 'step' : undefined}
        onclick={() => (page = i)}
      >
        {i + 1}
        {title || sections[0]?.title || say('Page')}
        {#if found > 0}<span class="text-crimson">· {found} to fix</span>{/if}
      </Button>
    {/each}
  </div>
{/if}
{#each sections as section (section.key)}
  {@const fields = section.grid ? [] : section.fields.filter(stands)}
  {#if section.grid && (section.grid.within !== null || !session.isThere(section.key))}
    <!-- Its condition does not hold, or it stands in the lines of another grid. -->
  {:else if section.grid}
    <GridSection {session} {section} {prefix} {lit} {onhover} />
  {:else if fields.length > 0}
    <fieldset class="mb-4">
      {#if section.title && section.folded}
        <legend class="mb-2 font-serif text-[16px] font-semibold">
          <Button
            kind="bare"
            aria-expanded={!isFolded(section)}
            onclick={() => turned.set(section.key, !isFolded(section))}
            ><span class="quiet me-1.5 inline-block w-3" aria-hidden="true"
              >{isFolded(section) ? '▸' : '▾'}</span
            >{section.title}</Button
          >
          {#if isFolded(section) && lacking(section) !== ''}
            <span class="quiet ms-2 font-sans">{lacking(section)}</span>
          {/if}
        </legend>
      {:else if section.title}
        <legend class="mb-2 font-serif text-[16px] font-semibold">{section.title}</legend>
      {/if}
      <div
        class={['fields', section.title !== '' && isFolded(section) && 'not-print:hidden']}
        style="--columns: {Math.min(section.columns, mostColumns)}"
      >
        {#each fields as field (field.key)}
          <div
            class={[
              lit === field.key && 'shadow-[-6px_0_0_-3px_var(--marigold)]',
              field.shows === 'list' && 'col-span-full',
            ]}
            role="presentation"
            onmouseenter={() => onhover?.(field.key)}
            onmouseleave={() => onhover?.(null)}
          >
            {#if field.shows === 'list'}<RowsOfTable {session} {field} />
            {:else}<FormField {session} {field} {prefix} {facts} />{/if}
          </div>
        {/each}
      </div>
    </fieldset>
  {/if}
{/each}
{#if !nested}<SidePanel {session} />{/if}
{#if pages.length > 1 && page < pages.length - 1}
  <Button kind="link" class="mb-4" onclick={() => (page += 1)}>
    Next page: {pages[page + 1]?.title || pages[page + 1]?.sections[0]?.title || 'next'}
  </Button>
{/if}
