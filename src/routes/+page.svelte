<script lang="ts">
  import { mayPlace } from '$lib/ui/shared/may';
  import { Button } from '$lib/ui/parts';
  import { num, plural, say } from '$lib/core/words/say';
  import YourForms from '$lib/ui/designing/YourForms.svelte';
  import GoOn from '$lib/ui/filling/GoOn.svelte';
  import SavesList from '$lib/ui/tables/SavesList.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const count = $derived.by(() => {
    const all = plural(data.all, ['# form', '# forms']);
    const shown = num(data.forms.length);
    return data.all > data.forms.length ? say(`${shown} of ${all}, those used last first`) : all;
  });
  const titleOf = (form: string) => data.titles.find(({ key }) => key === form)?.title ?? form;
  const begun = $derived([
    ...data.drafts.map(({ form, record, carried, about, at }) => {
      const query = record === null ? carried : `record=${record}`;
      const fresh = record === null ? say('A new record') : say('A stored record');
      return {
        id: `${form} ${query}`,
        doing: `${say('Filling in')} ${titleOf(form)}`,
        title: about || fresh,
        href: `/forms/${form}${query === '' ? '' : `?${query}`}`,
        action: say('Continue'),
        at: `${at.slice(0, 19)}Z`,
      };
    }),
    ...data.designed.map(({ key, title, draftAt }) => ({
      id: `design ${key}`,
      doing: say('Designing'),
      title,
      href: `/forms/${key}/design`,
      action: say('Open the draft'),
      at: draftAt,
    })),
  ]);
  const latest = $derived(
    begun.toSorted((a, b) => Date.parse(b.at) - Date.parse(a.at)).slice(0, 3),
  );
</script>

<svelte:head><title>Unisor</title></svelte:head>
<div class="grid min-h-full lg:grid-cols-[minmax(0,1fr)_420px]">
  <div class="bg-sheet grid content-start gap-7 p-5">
    {#if data.empty && mayPlace('tables')}
      <section class="max-w-[640px]">
        <h1>Start with a table</h1>
        <p class="text-soft mt-2 mb-4">
          Unisor turns your tables into entry forms. Import a table, link its columns to other
          tables, draft a form and start filling it in.
        </p>
        <Button href="/tables/new">Create your first table</Button>
      </section>
    {:else}
      <h1 class="sr-only">Home</h1>
      {#if latest.length > 0}
        <section>
          <h2 class="mb-2 text-[18px]">Go on with</h2>
          <GoOn begun={latest} />
        </section>
      {/if}
      <section>
        <div class="mb-2 flex flex-wrap items-baseline gap-3">
          <h2 class="text-[18px]">Forms</h2>
          <span class="quiet">{count}</span>
          <a class="textlink ms-auto" href="/forms">All forms</a>
        </div>
        {#if data.forms.length > 0}
          <YourForms forms={data.forms} tables={data.tables} days={data.days} />
        {:else}
          {#if mayPlace('forms')}
            <p class="text-soft mb-3">
              A form is drafted from a table. Open a table and choose “Draft a form”.
            </p>
            <Button href="/tables">Go to the tables</Button>
          {:else}
            <p class="text-soft mb-3">There is no form for you yet. Ask a keeper.</p>
          {/if}
        {/if}
      </section>
    {/if}
  </div>
  <aside class="border-line p-5 lg:border-s" aria-label="Written lately">
    <div class="mb-2 flex items-baseline">
      <h2 class="text-[18px]">Written lately</h2>
      <a class="textlink ms-auto" href="/activity">All activity</a>
    </div>
    <SavesList saves={data.saves} tables={data.tables} forms={data.titles} narrow />
  </aside>
</div>
