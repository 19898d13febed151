<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { HTMLButtonAttributes } from 'svelte/elements';
  import { attached } from './attached';

  /**
   * How it looks: the one main action of a place, another one, an action that reads like a link, or nothing
   * of its own (a cell, a line or a tab that can be pressed).
   */
  export type Kind = 'main' | 'other' | 'link' | 'bare';

  interface Props extends HTMLButtonAttributes {
    kind?: Kind;
    /** Where it goes; it is a link then. */
    href?: string | undefined;
    /** Shows that what it began is under way. It keeps the cursor: what is pressed again meanwhile does nothing. */
    loading?: boolean;
    element?: HTMLElement | undefined;
  }
  let {
    kind = 'main',
    class: given,
    element = $bindable(),
    children,
    loading = false,
    ...rest
  }: Props = $props();

  const looks: Record<Kind, string> = {
    main: 'h-8 whitespace-nowrap rounded bg-navy px-3.5 text-[14px] font-semibold text-(--on-navy) hover:bg-(--navy-deep) disabled:opacity-55 focus-within:ring-0',
    other:
      'h-8 whitespace-nowrap rounded border border-edge bg-sheet px-3.5 text-[14px] font-semibold text-ink hover:bg-paper hover:text-ink disabled:opacity-55 focus-within:text-ink focus-within:ring-0',
    link: 'inline h-auto rounded-none border-0 bg-transparent p-0 text-start text-[13px] font-semibold text-link underline decoration-1 underline-offset-3 decoration-(--edge) hover:bg-transparent hover:text-link hover:decoration-current disabled:bg-transparent disabled:text-soft disabled:no-underline focus-within:text-link focus-within:ring-0',
    bare: 'inline h-auto rounded-none border-0 bg-transparent p-0 text-start text-[length:inherit] leading-[inherit] font-[inherit] text-inherit hover:bg-transparent hover:text-inherit focus-within:text-inherit focus-within:ring-0',
  };
  const colors = {
    main: 'primary',
    other: 'light',
    link: 'alternative',
    bare: 'alternative',
  } as const;

  /** Nothing that it does comes after this, nor is a form sent, by a press or by Enter. */
  function passOver(node: HTMLElement) {
    const press = (event: MouseEvent) => {
      if (!loading) return;
      event.preventDefault();
      event.stopImmediatePropagation();
    };
    // Before whatever else listens, also above it.
    node.addEventListener('click', press, { capture: true });
    return () => node.removeEventListener('click', press, { capture: true });
  }
</script>

<Button
  {...rest as object}
  data-kind={kind}
  aria-busy={loading ? true : undefined}
  color={colors[kind]}
  class={[looks[kind], loading && 'opacity-70', given]}
  {@attach attached((node) => (element = node))}
  {@attach passOver}
>
  {@render children?.()}
</Button>
