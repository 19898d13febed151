import type { Entry } from './entry';
import { saidPart } from './said';
import { openAddress } from './send-plan';

/** Where one goes after a save. */
export type Onward =
  { to: 'receipt' | 'another' | 'record' } | { to: 'page' | 'elsewhere'; address: string };

/** What a person reads after a save; empty where the plan says nothing. */
export function afterMessage(entry: Entry): string {
  const { form, clock, root } = entry;
  return (form.after?.message ?? [])
    .map((part) => saidPart(root, part, clock))
    .join('')
    .trim();
}

/** Where a person goes after a save, as the plan says, as far as they can go there. */
export function onward(entry: Entry, about: { isNew: boolean; guest: boolean }): Onward {
  const { after } = entry.form;
  switch (after?.next) {
    case 'another':
      return { to: about.isNew ? 'another' : 'receipt' };
    case 'record':
      return { to: about.guest ? 'receipt' : 'record' };
    case 'form': {
      if (about.guest || after.form === null) return { to: 'receipt' };
      const { form, carry } = after;
      const address = openAddress(entry, { do: 'open', form, carry: [...carry] });
      return { to: 'page', address };
    }
    case 'address':
      return addressOf(after.address, about.guest);
    default:
      return { to: 'receipt' };
  }
}

/** An address of the web, or a page of this house. */
function addressOf(address: string, guest: boolean): Onward {
  if (/^https?:\/\//i.test(address) && URL.canParse(address)) return { to: 'elsewhere', address };
  return !guest && /^\/(?![/\\])/.test(address) ? { to: 'page', address } : { to: 'receipt' };
}
