<script lang="ts">
  import { onDestroy, onMount } from 'svelte';
  import { driftAnswer, driftRunAnswer, type DriftSeen } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { countWords } from '$lib/core/words/about';
  import { num, plural } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import { driftWords } from '$lib/ui/shared/drift-words';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    formKey: string;
    /** How many records its table has, about. */
    records: number;
  }
  /** What the draft would say of the records that are stored: of few of them at once, of many when it is asked for. */
  let { formKey, records }: Props = $props();

  /** So many are looked at without being asked to. */
  const mostByItself = 5000;
  /** It is asked so often how far it has come. Milliseconds. */
  const every = 700;

  let seen = $state.raw<DriftSeen | null>(null);
  let own = $state<number | null>(null);
  let problems = $state.raw<Problem[]>([]);
  const address = $derived(`/api/forms/${formKey}/drift`);
  const run = $derived(own === null || seen?.run?.id !== own ? null : seen.run);
  const found = $derived(run?.state === 'done' ? (seen?.found ?? []) : []);
  let timer: ReturnType<typeof setTimeout> | undefined;

  async function begin() {
    const called = await call(driftRunAnswer, address, { body: { against: 'draft' } });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    own = called.value.run;
    await look();
  }

  async function look() {
    const called = await call(driftAnswer, address);
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    seen = called.value;
    if (seen.run?.id === own && seen.run?.state === 'running') timer = setTimeout(look, every);
  }

  onMount(() => {
    if (records > 0 && records <= mostByItself) void begin();
  });
  onDestroy(() => clearTimeout(timer));
</script>

{#if records > 0}
  <section aria-label="Stored records">
    <Problems {problems} />
    {#if own === null}
      <Button kind="link" onclick={begin}>
        What would become of the {countWords(records)} stored records?
      </Button>
    {:else if !run || run.state === 'running'}
      <span class="quiet" role="status">
        Looking at the stored records: {num(run?.judged ?? 0)} of {num(run?.total ?? records)}
      </span>
    {:else if run.state === 'done' && found.length === 0}
      <span style="color: var(--moss)" role="status">
        {plural(run.judged, ['The # stored record fits.', 'All # stored records fit.'])}
      </span>
    {:else if run.state === 'done'}
      <b class="text-slate" role="status">Some stored records would not fit:</b>
      <ul class="m-0">
        {#each found.slice(0, 6) as { kind, grid, field, message, label, records: many }, i (i)}
          <li>
            {label || field || grid}: {message || driftWords[kind]}
            <span class="quiet">({plural(many, ['# record', '# records'])})</span>
          </li>
        {/each}
      </ul>
      <a class="textlink" href="/forms/{formKey}/drift">Look at them</a>
    {:else}
      <span class="text-soft">{run.reason ?? ''}</span>
    {/if}
  </section>
{/if}
