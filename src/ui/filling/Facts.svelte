<script lang="ts">
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
  }
  let { session }: Props = $props();

  /** What the chosen records bring along, each under its name. */
  const facts = $derived(
    [...session.form.fields.values()].flatMap(({ field }) => {
      if (field.shows === 'nothing' || session.cell(field.key).hidden) return [];
      const brought = session.words.brought(field.key);
      return brought.length === 0
        ? []
        : [{ key: field.key, title: session.words.shown(field.key) || field.label, brought }];
    }),
  );
</script>

{#each facts as { key, title, brought } (key)}
  <section class="mb-6">
    <h2 class="mb-1.5">{title}</h2>
    <dl>
      {#each brought as { path, label, shown, sure } (path)}
        <div
          class={[
            'border-line-soft flex justify-between gap-3 border-b py-1 text-[13.5px]',
            !sure && 'opacity-55',
          ]}
        >
          <dt class="text-soft whitespace-nowrap">{label}</dt>
          <dd class="text-end wrap-anywhere">{shown}</dd>
        </div>
      {/each}
    </dl>
  </section>
{/each}
