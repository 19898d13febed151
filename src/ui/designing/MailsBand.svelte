<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { mailSchema, type Mail, type Plan } from '$lib/core/plan/schema';
  import { Button, Input, Select, Textarea } from '$lib/ui/parts';
  import type { LiveScope } from './live-scope';
  import FormulaRow from './FormulaRow.svelte';

  interface Props {
    plan: Plan;
    /** The live form, for formulas. */
    live: LiveScope | null;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { plan, live, onedit }: Props = $props();

  let open = $state<number | null>(null);
  const mails = $derived(plan.mails ?? []);

  function update(i: number, change: Partial<Mail>) {
    onedit((p) => ({
      ...p,
      mails: (p.mails ?? []).map((mail, k) => (k === i ? { ...mail, ...change } : mail)),
    }));
  }
  function remove(i: number) {
    open = null;
    onedit((p) => ({ ...p, mails: (p.mails ?? []).filter((_, k) => k !== i) }));
  }

  /** An e-mail more; its band opens. */
  export function add() {
    open = mails.length;
    onedit((p) => ({ ...p, mails: [...(p.mails ?? []), mailSchema.parse({})] }));
  }
</script>

{#if mails.length > 0}
  <div class="contents" role="group" aria-label="E-mails">
    {#each mails as mail, i (i)}
      <div class="flex items-baseline gap-3">
        <Button
          kind="bare"
          class="grow text-left"
          aria-expanded={open === i}
          onclick={() => (open = open === i ? null : i)}
        >
          <span class="quiet me-1" aria-hidden="true">{open === i ? '▾' : '▸'}</span> After a save
          an e-mail goes to <b>{mail.to || say('nobody yet')}</b>
          <span class="quiet">
            {mail.subject || plan.title}{mail.when === null
              ? ''
              : `, ${say('only under a condition')}`}
          </span>
        </Button>
        <Button kind="link" onclick={() => remove(i)}>Remove</Button>
      </div>
      {#if open === i}
        <div class="bg-wash border-line grid gap-2.5 border px-4 py-3">
          <div class="flex flex-wrap items-end gap-3">
            <label class="grid grow gap-0.5">
              <span class="quiet">To</span>
              <Input
                maxlength={500}
                placeholder={'{email}, desk@library.example.org, ottilie'}
                value={mail.to}
                onchange={(event) => update(i, { to: event.currentTarget.value.trim() })}
              />
            </label>
            <Select
              class="w-auto!"
              aria-label="When it is sent"
              value={mail.on}
              onchange={({ currentTarget: { value } }) => update(i, { on: value as Mail['on'] })}
            >
              <option value="new">after a new record</option>
              <option value="every_save">after every save</option>
            </Select>
          </div>
          <label class="grid gap-0.5">
            <span class="quiet">Subject</span>
            <Input
              maxlength={200}
              placeholder={plan.title}
              value={mail.subject}
              onchange={(event) => update(i, { subject: event.currentTarget.value.trim() })}
            />
          </label>
          <label class="grid gap-0.5">
            <span class="quiet">Text</span>
            <Textarea
              rows={5}
              maxlength={4000}
              value={mail.text}
              onchange={(event) => update(i, { text: event.currentTarget.value.trim() })}
            />
          </label>
          <FormulaRow
            id="mail-{i}-when"
            label="Only when"
            says="condition"
            value={mail.when ?? ''}
            placeholder="damage"
            {live}
            onchange={(when) => update(i, { when })}
          />
          <p class="quiet">
            In all three a field in braces, like {'{town}'}, is replaced with its value. People here
            are named by their sign-in name.
          </p>
        </div>
      {/if}
    {/each}
  </div>
{/if}
