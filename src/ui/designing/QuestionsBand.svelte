<script lang="ts">
  import { invalidate } from '$app/navigation';
  import { say, spoken } from '$lib/core/words/say';
  import { tableAnswer } from '$lib/core/contract/answers';
  import { updateSection } from '$lib/core/plan/edit';
  import type { Problem } from '$lib/core/problems';
  import {
    answersIn,
    answerTables,
    canTake,
    newAnswerTable,
    newQuestionTable,
    proposedQuestions,
    questionTables,
    takings,
  } from '$lib/core/plan/question-columns';
  import type { Plan, Questions, Section } from '$lib/core/plan/schema';
  import { fieldsOf } from '$lib/core/plan/scopes';
  import type { House, Table } from '$lib/core/table/definition';
  import { isAmount } from '$lib/core/values/types';
  import { heldType } from '$lib/core/plan/held';
  import { Button, Select } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    plan: Plan;
    section: Section;
    tables: House;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, section, tables, onedit }: Props = $props();

  const questions = $derived(section.questions ?? null);
  const asked = $derived(tables.get(questions?.table ?? ''));
  const kept = $derived(tables.get(questions?.answers.table ?? ''));
  const offered = $derived(questionTables(tables));
  const keeping = $derived(answerTables(plan, tables));
  const fields = $derived(fieldsOf(plan));
  const numbers = $derived(fields.filter((field) => isAmount(heldType(plan, field, tables))));
  let problems = $state.raw<Problem[]>([]);

  /** What a column of questions says. */
  const says: Record<keyof Questions['columns'], string> = spoken(() => ({
    code: say('Code'),
    text: say('Question'),
    kind: say('Kind'),
    required: say('Must be answered'),
    choices: say('Choices'),
    help: say('Help'),
    order: say('Order'),
    group: say('Heading'),
    when: say('Asked only when'),
    points: say('Points'),
    least: say('Least'),
    greatest: say('Greatest'),
    unit: say('Unit'),
  }));
  const parts = $derived(Object.keys(says) as (keyof typeof says)[]);
  const must = new Set(['code', 'text', 'kind']);

  /** What a column of answers takes. */
  const takes: Record<(typeof takings)[number], string> = spoken(() => ({
    sheet: say('The record that was filled in'),
    code: say('Code'),
    question: say('The row that asked'),
    asked: say('The question as it was asked'),
    text: say('Text and times'),
    number: say('Numbers'),
    day: say('Dates'),
    yesNo: say('Yes or no'),
    option: say('Choices'),
    record: say('Records'),
    files: say('Files'),
  }));
  const loose = new Set(['question', 'asked', 'record', 'files']);

  const change = (questions: Questions | null) =>
    onedit((p) => updateSection(p, section.key, { questions }));
  const alter = (part: Partial<Questions>) => questions && change({ ...questions, ...part });

  function ask(key: string) {
    const table = tables.get(key);
    if (!table) return change(null);
    const proposed = proposedQuestions(plan, tables, table, questions);
    if (proposed) change(proposed);
  }

  /** Makes a table that is missing; what can be said with it is said at once. */
  async function make(table: Table, then: () => void) {
    const made = await call(tableAnswer, '/api/tables', { body: table });
    problems = made.ok ? [] : made.problems;
    if (!made.ok) return;
    await invalidate('unisor:tables');
    then();
  }

  /** The first table that can be asked, or one made for it, with a table for the answers. */
  let wanted = $state('');
  const first = $derived(offered.find(({ key }) => key === wanted) ?? offered[0]);

  function keepIn(key: string) {
    const table = tables.get(key);
    const answers = table && answersIn(plan, questions?.table ?? '', table);
    if (answers) alter({ answers });
  }

  function narrow(i: number, part: Partial<Questions['narrowings'][number]> | null) {
    if (!questions) return;
    const narrowings = questions.narrowings.flatMap((one, k) =>
      k !== i ? [one] : part === null ? [] : [{ ...one, ...part }],
    );
    alter({ narrowings });
  }

  function addNarrowing() {
    const column = asked?.columns.find(({ key }) => fields.some((field) => field.key === key));
    const path = column?.key ?? asked?.columns[0]?.key;
    const field = fields.find(({ key }) => key === path) ?? fields[0];
    if (!questions || path === undefined || !field) return;
    const narrowing = { path, operator: 'equal' as const, field: field.key };
    alter({ narrowings: [...questions.narrowings, { ...narrowing, whileEmpty: 'nothing' }] });
  }
</script>

<div class="grid gap-3">
  {#if !questions || !asked}
    <p class="m-0">
      <b>Fields can be the rows of a table.</b>
      <span class="text-soft">
        Whoever changes the rows changes what the next form asks; a record that was filled in keeps
        its questions as they were asked.
      </span>
    </p>
    <div class="flex flex-wrap items-center gap-3">
      {#if first && keeping.length > 0}
        <label class="flex items-center gap-2">
          <span>The questions are rows of</span>
          <Select
            class="w-auto!"
            value={first.key}
            onchange={(event) => (wanted = event.currentTarget.value)}
          >
            {#each offered as { key, title } (key)}<option value={key}>{title}</option>{/each}
          </Select>
        </label>
        <Button kind="other" onclick={() => ask(first.key)}>Ask them</Button>
      {:else if !first}
        <span class="text-soft">No table has a code, a question and a kind in its rows yet.</span>
        <Button kind="other" onclick={() => make(newQuestionTable(tables), () => {})}>
          Make a table of questions
        </Button>
      {:else}
        <span class="text-soft">No table refers to the record that could take the answers.</span>
        <Button
          kind="other"
          onclick={() => make(newAnswerTable(plan, tables, first.key), () => ask(first.key))}
        >
          Make a table for the answers
        </Button>
      {/if}
    </div>
  {:else}
    <div class="flex flex-wrap items-center gap-3">
      <b>The questions are rows of</b>
      <Select
        class="w-auto!"
        aria-label="Table of questions"
        value={questions.table}
        onchange={(event) => ask(event.currentTarget.value)}
      >
        {#each offered as { key, title } (key)}<option value={key}>{title}</option>{/each}
      </Select>
      <Button kind="link" onclick={() => change(null)}>Ask no questions</Button>
    </div>
    <div class="grid gap-1.5">
      {#each questions.narrowings as narrowing, i (i)}
        <div class="flex flex-wrap items-center gap-2">
          <span>{i === 0 ? say('those where') : say('and')}</span>
          <Select
            class="w-auto!"
            aria-label="Column that is compared"
            value={narrowing.path}
            onchange={(event) => narrow(i, { path: event.currentTarget.value })}
          >
            {#each asked.columns as { key, label } (key)}<option value={key}>{label}</option>{/each}
          </Select>
          <span>is</span>
          <Select
            class="w-auto!"
            aria-label="Field that narrows"
            value={narrowing.field}
            onchange={(event) => narrow(i, { field: event.currentTarget.value })}
          >
            {#each fields as { key, label } (key)}<option value={key}>field {label}</option>{/each}
          </Select>
          <Button kind="link" onclick={() => narrow(i, null)}>Remove</Button>
        </div>
      {/each}
      <div><Button kind="link" onclick={addNarrowing}>+ narrow by a field</Button></div>
    </div>
    <fieldset class="m-0 border-0 p-0">
      <legend class="mb-1.5 font-semibold">Which column says what</legend>
      <div class="grid grid-cols-[repeat(auto-fill,minmax(190px,1fr))] gap-x-4 gap-y-2">
        {#each parts as part (part)}
          <label class="grid gap-0.5">
            <span class="quiet">{says[part]}</span>
            <Select
              value={questions.columns[part] ?? ''}
              onchange={(event) =>
                alter({
                  columns: { ...questions.columns, [part]: event.currentTarget.value || null },
                })}
            >
              {#if !must.has(part)}<option value="">–</option>{/if}
              {#each asked.columns as { key, label } (key)}
                <option value={key}>{label}</option>
              {/each}
            </Select>
          </label>
        {/each}
      </div>
    </fieldset>
    <label class="flex flex-wrap items-center gap-2">
      <span>The points are added up in</span>
      <Select
        class="w-auto!"
        value={questions.points ?? ''}
        onchange={(event) => alter({ points: event.currentTarget.value || null })}
      >
        <option value="">no field</option>
        {#each numbers as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </Select>
    </label>
    <fieldset class="m-0 border-0 p-0">
      <legend class="mb-1.5 flex items-center gap-2 font-semibold">
        Each answer is a row of
        <Select
          class="w-auto! font-normal"
          aria-label="Table of answers"
          value={questions.answers.table}
          onchange={(event) => keepIn(event.currentTarget.value)}
        >
          {#each keeping as { key, title } (key)}<option value={key}>{title}</option>{/each}
        </Select>
      </legend>
      <div class="grid grid-cols-[repeat(auto-fill,minmax(190px,1fr))] gap-x-4 gap-y-2">
        {#each takings as part (part)}
          <label class="grid gap-0.5">
            <span class="quiet">{takes[part]}</span>
            <Select
              value={questions.answers[part] ?? ''}
              onchange={(event) =>
                alter({
                  answers: { ...questions.answers, [part]: event.currentTarget.value || null },
                })}
            >
              {#if loose.has(part)}<option value="">–</option>{/if}
              {#each (kept?.columns ?? []).filter( (column) => canTake(plan, questions.table, part, column) ) as { key, label } (key)}
                <option value={key}>{label}</option>
              {/each}
            </Select>
          </label>
        {/each}
      </div>
    </fieldset>
  {/if}
  <Problems {problems} />
</div>
