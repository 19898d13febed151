<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    /** What the picture is of. */
    label: string;
    /** How many values it has, from one side to the other. */
    count: number;
    /** The value that is pointed at. */
    at: number | null;
    /** A value in words. */
    said: (place: number) => string;
    onat: (place: number) => void;
    /** What a value leads to. */
    onpick: (place: number) => void;
    children: Snippet;
  }
  /** A picture that is read value by value: with the arrow keys, or the pointer. */
  let { label, count, at, said, onat, onpick, children }: Props = $props();

  const now = $derived(Math.min(at ?? 0, Math.max(0, count - 1)));

  function onkeydown(event: KeyboardEvent) {
    const to = {
      ...{ ArrowRight: now + 1, ArrowUp: now + 1, ArrowLeft: now - 1, ArrowDown: now - 1 },
      ...{ Home: 0, End: count - 1 },
    }[event.key];
    if (to !== undefined) onat(Math.max(0, Math.min(count - 1, to)));
    else if (event.key === 'Enter' && count > 0) onpick(now);
    else return;
    event.preventDefault();
  }

  function onpointermove({ currentTarget, clientX }: PointerEvent & { currentTarget: Element }) {
    const { left, width } = currentTarget.getBoundingClientRect();
    const place = Math.floor(((clientX - left) / Math.max(1, width)) * count);
    onat(Math.max(0, Math.min(count - 1, place)));
  }
</script>

<div
  role="slider"
  tabindex="0"
  aria-label={label}
  aria-valuemin="0"
  aria-valuemax={Math.max(0, count - 1)}
  aria-valuenow={now}
  aria-valuetext={count > 0 ? said(now) : ''}
  class="cursor-pointer focus:outline-2 focus:outline-offset-4"
  {onkeydown}
  {onpointermove}
  onclick={() => count > 0 && onpick(now)}
>
  {@render children()}
</div>
<p class="quiet min-h-5 tabular-nums">{at !== null && count > 0 ? said(now) : ''}</p>
