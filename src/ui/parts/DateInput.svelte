<script lang="ts">
  import { CalendarMonthOutline } from 'flowbite-svelte-icons';
  import type { HTMLInputAttributes } from 'svelte/elements';
  import Button from './Button.svelte';
  import Input from './Input.svelte';

  interface Props extends Omit<HTMLInputAttributes, 'size' | 'value'> {
    /** What stands in the box, as the reader writes days. */
    value: string;
    /** The day in it, as ISO 8601 writes it; empty where there is none. */
    day: string;
    /** What the calendar is called. */
    calendar: string;
    onday: (day: string) => void;
  }
  let { value, day, calendar, onday, disabled, onkeydown, ...rest }: Props = $props();

  let open = $state(false);
  let input = $state<HTMLInputElement>();

  function close() {
    open = false;
    input?.focus();
  }
</script>

<div class="relative">
  <Input
    {...rest}
    {value}
    {disabled}
    bind:element={input}
    class="pe-8"
    onkeydown={(event) => {
      if (event.altKey && event.key === 'ArrowDown' && !disabled) {
        event.preventDefault();
        event.stopPropagation();
        open = true;
      } else onkeydown?.(event);
    }}
  />
  {#if !disabled}
    <Button
      kind="bare"
      class="text-soft absolute end-1.5 top-1 flex h-6 w-6 items-center justify-center"
      tabindex={-1}
      aria-label={calendar}
      aria-expanded={open}
      onclick={() => (open = !open)}
    >
      <CalendarMonthOutline size="sm" ariaLabel="" />
    </Button>
  {/if}
</div>
{#if open}
  {#await import('./Calendar.svelte') then { default: Calendar }}
    <Calendar
      {day}
      anchor={input}
      label={calendar}
      onclose={close}
      onpick={(picked) => {
        onday(picked);
        close();
      }}
    />
  {/await}
{/if}
