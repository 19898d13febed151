/** The parts that screens are made of: Flowbite's, in the look of the house. Nothing else makes controls. */
export { default as Button } from './Button.svelte';
export { default as Checkbox } from './Checkbox.svelte';
export { default as DateInput } from './DateInput.svelte';
export { default as FileInput } from './FileInput.svelte';
export { default as Grid } from './Grid.svelte';
export type { Block, CellLook } from './grid';
export type { GridCommand } from './grid-keys';
export { default as Input } from './Input.svelte';
export { default as Modal } from './Modal.svelte';
export { default as Radio } from './Radio.svelte';
export { default as Select } from './Select.svelte';
export { default as Ledger } from './Ledger.svelte';
export { default as Toggle } from './Toggle.svelte';
export { default as Toast } from './Toast.svelte';
export { default as Textarea } from './Textarea.svelte';
export { Drawer, Pane, Progressbar, Spinner, SplitPane } from 'flowbite-svelte';
export { standsAt } from './floating';
