<script lang="ts">
  import type { RehearsalAnswer } from '$lib/core/contract/answers';
  import { traceWords } from '$lib/core/entry/words';
  import { strictnesses, type Strictness } from '$lib/core/rehearsal/rehearsal';
  import { say } from '$lib/core/words/say';
  import { Button, Ledger, Select } from '$lib/ui/parts';
  import { strictnessWords, type RehearsalWords } from './rehearsal-words';
  import type { Outcome } from './rehearsing.svelte';

  interface Props {
    kept: RehearsalAnswer;
    outcome: Outcome;
    words: RehearsalWords;
    onloosen: (hows: Strictness[]) => void;
  }
  /** What a rehearsal expects, line by line, and what came; what does not fit comes first. */
  let { kept, outcome, words, onloosen }: Props = $props();

  let all = $state(false);
  let told = $state(false);
  const { steps, expects } = $derived(kept.rehearsal);
  const lines = $derived(outcome.lines.map((line, i) => ({ line, i })));
  const wrong = $derived(lines.filter(({ line }) => !line.fits));
  const listed = $derived(all ? [...wrong, ...lines.filter(({ line }) => line.fits)] : wrong);

  /** Only what has an order can be expected in part. */
  function ways(is: unknown): readonly Strictness[] {
    const ordered =
      typeof is === 'number' || (typeof is === 'string' && /^-?\d/.test(is)) || Array.isArray(is);
    return ordered ? strictnesses : ['is', 'any'];
  }

  function after(step: number | null): string {
    if (step === null) return '';
    const done = step === 0 ? undefined : steps[step - 1];
    return done ? words.step(done) : say('as it begins');
  }

  function loosen(at: number, how: Strictness) {
    onloosen(expects.map((one, i) => (i === at ? how : one.how)));
  }
</script>

{#if outcome.lost.length > 0}
  <ul class="text-crimson m-0 list-none p-0">
    {#each outcome.lost as number (number)}
      {@const step = steps[number]}
      {#if step}<li>{words.step(step)}: the form has no place for it any more.</li>{/if}
    {/each}
  </ul>
{/if}
{#if listed.length > 0}
  <Ledger>
    <thead>
      <tr>
        <th>What</th>
        <th>Expected</th>
        <th>Came</th>
        <th>After</th>
      </tr>
    </thead>
    <tbody>
      {#each listed as { line, i } (i)}
        {@const events = line.fits ? [] : (outcome.why[line.at] ?? [])}
        <tr class={line.fits ? 'text-soft' : ''}>
          <td>{words.about(line)}</td>
          <td>
            {#if line.unexpected}
              <span class="quiet">nothing</span>
            {:else}
              <span class="flex flex-wrap items-center gap-x-3 gap-y-1">
                <Select
                  class="w-auto! shrink-0"
                  aria-label="How much is expected: {words.about(line)}"
                  value={line.how}
                  onchange={(event) => loosen(i, event.currentTarget.value as Strictness)}
                >
                  {#each ways(line.is) as how (how)}
                    <option value={how}>{strictnessWords[how]}</option>
                  {/each}
                </Select>
                <span>{words.expected(line)}</span>
              </span>
            {/if}
          </td>
          <td class={line.fits ? '' : 'text-crimson'}>
            {words.came(line)}
            {#if events.length > 0 && line.of === 'value'}
              <ol class="quiet m-0 list-none p-0">
                {#each events as event, at (at)}
                  {@const { said } = traceWords(event, words.names())}
                  <li>
                    {said}
                    {#if event.cause}({words.names().field(event.cause)}){/if}
                  </li>
                {/each}
              </ol>
            {/if}
          </td>
          <td class="quiet">{after(line.step)}</td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
{/if}
<div class="flex flex-wrap items-center gap-4">
  <Button kind="link" aria-expanded={all} onclick={() => (all = !all)}>
    {all ? say('What does not fit only') : say(`All ${lines.length} lines`)}
  </Button>
  <Button kind="link" aria-expanded={told} onclick={() => (told = !told)}>
    What is done in it
  </Button>
</div>
{#if told}
  <ol class="quiet m-0 list-decimal ps-6">
    {#each steps as step, i (i)}<li>{words.step(step)}</li>{/each}
  </ol>
{/if}
