import { goto } from '$app/navigation';
import type { Receipt } from '$lib/core/contract/answers';
import { onward } from '$lib/core/entry/after';
import { say } from '$lib/core/words/say';
import { tellSaved } from '$lib/ui/shared/toasts.svelte';
import type { Filling } from './filling.svelte';

/** Goes where the plan says that one goes after a save; stays with the receipt where it says nothing. */
export async function goOnAfter(
  receipt: Receipt,
  message: string,
  filling: Filling,
  another: () => Promise<void>,
): Promise<void> {
  const isNew = filling.base === null;
  const next = onward(filling.session.entry, { isNew, guest: filling.given.guest === true });
  const written = writtenRecord(receipt);
  if (next.to === 'elsewhere') location.assign(next.address);
  if (next.to === 'another') {
    tellThat(receipt, message, filling);
    await another();
  } else if (next.to === 'record' && written) {
    tellThat(receipt, message, filling);
    await goto(`/tables/${written.table}/records/${written.id}`);
  } else if (next.to === 'page') {
    tellThat(receipt, message, filling);
    await goto(next.address);
  }
}

/** Tells in a corner what was saved, in the plan's own words where it has any. */
export function tellThat(receipt: Receipt, message: string, filling: Filling): void {
  const main = writtenRecord(receipt);
  const link = main && { label: main.shown, href: `/tables/${main.table}/records/${main.id}` };
  const text = message === '' ? say('Saved:') : message;
  tellSaved({ text, link }, receipt.submission, () => filling.session.refresh());
}

const writtenRecord = ({ records }: Receipt) => records.find(({ action }) => action !== 'deleted');
