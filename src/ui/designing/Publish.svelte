<script lang="ts">
  import { editionAnswer } from '$lib/core/contract/answers';
  import { focusable, goTo } from '$lib/ui/shared/focus';
  import { Button, Modal, Spinner, Textarea } from '$lib/ui/parts';
  import { longestWhy } from '$lib/core/rehearsal/rehearsal';
  import { countWords } from '$lib/core/words/about';
  import { num, plural, say } from '$lib/core/words/say';
  import { largeFrom, missingIndexes, secondsFor, standsBeside } from '$lib/core/plan/indexes';
  import { comparePlans, type PlanChange } from '$lib/core/plan/compare';
  import type { Finding } from '$lib/core/plan/finding';
  import { type Plan } from '$lib/core/plan/schema';
  import type { Problem } from '$lib/core/problems';
  import type { House } from '$lib/core/table/definition';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import Changes from './Changes.svelte';
  import StoredHint from './StoredHint.svelte';

  interface Props {
    open: boolean;
    formKey: string;
    /** The newest edition; 0 before the first. */
    edition: number;
    draft: Plan;
    tables: House;
    findings: readonly Finding[];
    /** How many records are stored, about. */
    records: number;
    /** How many records each table has, about. */
    counts: ReadonlyMap<string, number>;
    /** Whether the database is a cluster, which holds saves up while it makes an index. */
    clustered: boolean;
    /** The rehearsals that do not hold. */
    failing: readonly string[];
    /** Publishes, with a word of why where some do not hold; gives what refused it. */
    onpublish: (why: string) => Promise<Problem[]>;
  }
  let {
    open = $bindable(),
    formKey,
    edition,
    draft,
    tables,
    findings,
    records,
    counts,
    clustered,
    failing,
    onpublish,
  }: Props = $props();

  let changes = $state.raw<PlanChange[] | null>(null);
  let problems = $state.raw<Problem[]>([]);
  let publishing = $state(false);
  let why = $state('');
  const id = $props.id();
  /** The server plays them too, and may know of others. */
  const asksWhy = $derived(
    failing.length > 0 || problems.some(({ code }) => code === 'rehearsals_fail'),
  );
  /** Of what publishing makes besides, that which takes a while. */
  const indexes = $derived(
    (open ? missingIndexes(draft, tables) : []).flatMap(({ table, index }) => {
      const many = counts.get(table) ?? 0;
      const title = tables.get(table)?.title ?? table;
      const behind = standsBeside(index, many);
      return many < largeFrom ? [] : [{ many, title, behind, seconds: secondsFor(index, many) }];
    }),
  );
  const hints = $derived(findings.filter((f) => f.level === 'hint').map((f) => f.problem));

  $effect(() => {
    if (open) void load();
  });

  async function load() {
    [changes, problems, why] = [null, [], ''];
    if (edition === 0) return void (changes = []);
    const called = await call(editionAnswer, `/api/forms/${formKey}/editions/${edition}`);
    if (!called.ok) return void (problems = called.problems);
    changes = comparePlans(called.value.plan, draft, tables);
  }

  /** One key more publishes, once it can be seen what changes. */
  $effect(() => {
    if (open && changes !== null) goTo(failing.length > 0 ? 'why' : 'publish');
  });

  async function publish(event: SubmitEvent) {
    event.preventDefault();
    publishing = true;
    problems = await onpublish(why.trim());
    publishing = false;
    if (problems.length === 0) open = false;
  }
</script>

<Modal bind:open size="lg" title="Publish edition {edition + 1}">
  <form class="grid gap-3" onsubmit={publish}>
    <Problems {problems} />
    {#if changes === null}
      <Spinner size="5" />
    {:else if edition === 0}
      <p>
        The first edition, with {draft.sections.reduce((n, s) => n + s.fields.length, 0)} fields. People
        can fill it in from then on. You can keep changing the draft without affecting them.
      </p>
    {:else if changes.length === 0}
      <p class="text-soft">Nothing has changed since edition {edition}.</p>
    {:else}
      <p>What changes for the people who fill it in, since edition {edition}:</p>
      <div class="max-h-80 overflow-auto"><Changes {changes} /></div>
    {/if}
    {#if hints.length > 0}
      <div>
        <b class="text-slate">{plural(hints.length, ['# hint', '# hints'])}</b>
        <ul>
          {#each hints.slice(0, 5) as { message, hint }, i (i)}
            <li>{message} <span class="text-soft">{hint}</span></li>
          {/each}
        </ul>
      </div>
    {/if}
    {#each indexes as { many, title, behind, seconds }, i (i)}
      <p class="m-0" role="note">
        {behind
          ? say(
              `After publishing, the words of ${countWords(many)} records of ${title} are indexed. That takes about ${num(seconds)} seconds, while people keep working; until then, searching looks through the records.`,
            )
          : clustered
            ? say(
                `Publishing makes an index over ${countWords(many)} records of ${title}. That takes about ${num(seconds)} seconds, during which nobody can save, because the database is a cluster.`,
              )
            : say(
                `Publishing makes an index over ${countWords(many)} records of ${title}. That takes about ${num(seconds)} seconds; people can keep working meanwhile.`,
              )}
      </p>
    {/each}
    {#if open && changes !== null && edition > 0}<StoredHint {formKey} {records} />{/if}
    {#if asksWhy}
      <div class="grid gap-1">
        {#if failing.length > 0}<b class="text-crimson">
            {plural(failing.length, [
              '# rehearsal does not come out as expected:',
              '# rehearsals do not come out as expected:',
            ])}
          </b>
          <ul class="m-0">
            {#each failing as name (name)}<li>{name}</li>{/each}
          </ul>
        {/if}
        <label class="tag" for="{id}-why">Why it is published all the same</label>
        <Textarea
          {@attach focusable('why')}
          id="{id}-why"
          rows={2}
          maxlength={longestWhy}
          bind:value={why}
          required
        />
      </div>
    {/if}
    <p class="quiet">Publishing also creates the indexes that its lists and totals need.</p>
    <div>
      <Button
        {@attach focusable('publish')}
        type="submit"
        loading={publishing}
        disabled={changes === null || (asksWhy && why.trim() === '')}
      >
        Publish edition {edition + 1}
      </Button>
    </div>
  </form>
</Modal>
