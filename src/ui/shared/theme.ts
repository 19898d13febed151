import type { ThemeConfig } from 'flowbite-svelte';

/** The one place where Flowbite's parts get our measures; their colours come from app.css. */
export const theme: ThemeConfig = {
  button: {
    base: 'h-8 rounded-[4px]! px-3! py-1! text-[14px]! font-semibold! focus-within:ring-0 focus-visible:outline-2',
  },
  input: { input: 'h-8 rounded-[4px]! px-[9px]! py-1! text-[14px]! bg-sheet text-ink' },
  select: {
    base: 'rounded-[4px]!',
    select: 'h-8 rounded-[4px]! ps-[9px]! pe-8! py-1! text-[14px]! bg-sheet text-ink',
  },
  textarea: { base: 'rounded-[4px]! bg-sheet text-ink' },
  modal: {
    base: 'rounded-[6px]! border border-line shadow-lg',
    header: 'p-4! text-[16px]! font-serif!',
    body: 'p-4!',
    footer: 'p-4!',
  },
} as ThemeConfig;
