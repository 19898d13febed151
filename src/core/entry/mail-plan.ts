import type { Feel } from '../formula/feel';
import { evaluate } from '../formula/formula';
import type { EntryFormula } from '../plan/formulas';
import { problem } from '../problems';
import { isMailAddress } from '../values/parse';
import type { WiredMail } from '../wiring/after';
import { isClosed } from './host-state';
import type { Entry } from './entry';
import { Planning } from './planned';
import { saidPart } from './said';

/** An e-mail that a save sends: one message to each of its recipients. */
export interface PlannedMail {
  /** Addresses; what is none is told where it is sent. */
  to: string[];
  /** Sign-in names of people here. */
  people: string[];
  /** One line. */
  subject: string;
  text: string;
}

/** So many people at most are told by one e-mail. */
export const mostRecipients = 50;

/** What saving the entry would send by e-mail; an e-mail to nobody is none. */
export function mailPlan(entry: Entry): PlannedMail[] {
  return plannedMails(new Planning(entry));
}

/** The same, with addresses that are none noted where they were typed. */
export function plannedMails(planning: Planning): PlannedMail[] {
  return planning.entry.form.mails
    .filter((mail) => planning.isMeant(mail))
    .map((mail) => mailOf(planning, mail))
    .filter(({ to, people }) => to.length + people.length > 0);
}

function mailOf(planning: Planning, mail: WiredMail): PlannedMail {
  const { root, clock } = planning.entry;
  const said = (parts: WiredMail['text']) =>
    parts.map((part) => saidPart(root, part, clock)).join('');
  // Only the plan names people by what they sign in with: what is typed into a field is an address, or none.
  const written = new Set(mail.to.flatMap((part) => (typeof part === 'string' ? cut(part) : [])));
  const named = [...new Set(mail.to.flatMap((part) => addressesIn(planning, part)))];
  const isPerson = (one: string) => written.has(one) && !one.includes('@');
  const people = named.filter(isPerson);
  const to = named.filter((one) => !isPerson(one));
  for (const part of mail.to) {
    if (typeof part !== 'string' && isTyped(planning.entry, part)) notePart(planning, part);
  }
  return {
    people: people.slice(0, mostRecipients),
    to: to.slice(0, mostRecipients),
    subject: said(mail.subject).replace(/\s+/g, ' ').trim().slice(0, 500),
    text: said(mail.text).trim(),
  };
}

/** Whether a formula is a field into which whoever fills the form in types: they can mend what is wrong there. */
function isTyped({ root }: Entry, { source }: EntryFormula): boolean {
  const named = root.scope.fields.get(source.trim());
  const cell = named && root.cells[named.index];
  return cell !== undefined && !isClosed(cell);
}

function notePart(planning: Planning, part: EntryFormula): void {
  const wrong = addressesIn(planning, part).find((one) => !isMailAddress(one));
  if (wrong === undefined) return;
  planning.note(planning.entry.root, '', part, problem('not_email', { given: wrong }));
}

/** What a part of the recipients names: a formula gives one address, several with commas between, or a list. */
function addressesIn({ entry }: Planning, part: string | EntryFormula): string[] {
  if (typeof part === 'string') return cut(part);
  const evaluated = evaluate(part, entry.root, entry.clock);
  return 'value' in evaluated ? [evaluated.value].flat().flatMap(textOf) : [];
}

function textOf(value: Feel): string[] {
  return typeof value === 'string' ? cut(value) : [];
}

function cut(text: string): string[] {
  return text
    .split(/[,;\s]+/)
    .map((one) => one.trim())
    .filter((one) => one !== '');
}
