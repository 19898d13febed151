import type { EntryFormula } from '../plan/formulas';
import type { After, Mail, Plan } from '../plan/schema';
import { readyText, type ReadyFormulas, type ReadyText } from './ready';

/** What follows a save, made ready. */
export interface WiredAfter extends Pick<After, 'next' | 'form' | 'address'> {
  message: ReadyText;
  carry: readonly { name: string; formula: EntryFormula }[];
}

/** What follows a save; a formula that cannot be used is not carried. */
export function wireAfter({ after }: Plan, ready: ReadyFormulas): WiredAfter | null {
  if (!after) return null;
  const { next, form, address } = after;
  const message = readyText(ready, { at: 'after', part: 'message' }, after.message);
  const carry = Object.entries(after.carry).flatMap(([name, source]) => {
    const formula = ready.at({ at: 'after', part: 'value', name }, source);
    return formula ? [{ name, formula }] : [];
  });
  return { next, form, address, message, carry };
}

/** An e-mail of a form, made ready. */
export interface WiredMail {
  on: Mail['on'];
  when: EntryFormula | null;
  to: ReadyText;
  subject: ReadyText;
  text: ReadyText;
}

/** The e-mails of a form; one whose condition cannot be used is left out. */
export function wireMails({ title, mails = [] }: Plan, ready: ReadyFormulas): WiredMail[] {
  return mails.flatMap((mail, index) => {
    const condition = ready.at({ at: 'mail', index, part: 'when' }, mail.when);
    if (mail.when !== null && !condition) return [];
    const said = (part: 'to' | 'subject' | 'text', text: string) =>
      readyText(ready, { at: 'mail', index, part }, text);
    const subject = mail.subject === '' ? [title] : said('subject', mail.subject);
    const to = said('to', mail.to);
    return [{ on: mail.on, when: condition, to, subject, text: said('text', mail.text) }];
  });
}
