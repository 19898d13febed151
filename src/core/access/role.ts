import { z } from 'zod';
import { say } from '../words/say';
import { keySchema } from '../values/key';

/** What can be done with the records of a table. */
export const tableActs = ['see', 'add', 'change', 'remove'] as const;
export type ActOnTable = (typeof tableActs)[number];
/** What can be done with a form: fill in a new one, open stored records in it, change its plan, publish it. */
export const formActs = ['fill', 'open', 'design', 'publish'] as const;
export type ActOnForm = (typeof formActs)[number];
/** What else there is to be allowed. */
export const places = [
  'tables',
  'forms',
  'lists',
  'outside',
  'invite',
  'export',
  'activity',
  'people',
  'backup',
] as const;
export type Place = (typeof places)[number];

/** A condition by record, in FEEL; see `readRecordCondition`. */
const conditionText = z.string().trim().max(2000);

export const tableRightSchema = z.object({
  does: z.array(z.enum(tableActs)).max(tableActs.length),
  /** Columns that are shown nowhere, and those that are shown but not typed into. */
  hidden: z.array(keySchema).max(200).default([]),
  readOnly: z.array(keySchema).max(200).default([]),
  /** Which records are seen; all where it is empty. */
  when: conditionText.default(''),
});
export type TableRight = z.infer<typeof tableRightSchema>;

/** `*` stands for every table, or form, that is not named. */
export const everyOther = '*';
const named = z.union([keySchema, z.literal(everyOther)]);

/** What the people who have a role may do. What nobody has said is refused. */
export const roleSchema = z.object({
  key: keySchema,
  title: z.string().trim().min(1).max(100),
  note: z.string().trim().max(500).default(''),
  tables: z.record(named, tableRightSchema).default({}),
  forms: z.record(named, z.array(z.enum(formActs)).max(formActs.length)).default({}),
  places: z.array(z.enum(places)).max(places.length).default([]),
});
export type Role = z.infer<typeof roleSchema>;

/** The role that may do everything, and cannot be changed: somebody always has it. */
export const keeperKey = 'keeper';

/** The roles with which every house begins. */
export function shippedRoles(): Role[] {
  const everything = { does: [...tableActs], hidden: [], readOnly: [], when: '' };
  const looking = { ...everything, does: ['see' as const] };
  return [
    {
      key: keeperKey,
      title: say('Keeper'),
      note: say('Answers for the data and the people: may do everything.'),
      tables: { [everyOther]: everything },
      forms: { [everyOther]: [...formActs] },
      places: [...places],
    },
    {
      key: 'designer',
      title: say('Designer'),
      note: say('Makes tables, lists and forms.'),
      tables: { [everyOther]: everything },
      forms: { [everyOther]: [...formActs] },
      places: ['tables', 'forms', 'lists', 'outside', 'invite', 'export'],
    },
    {
      key: 'clerk',
      title: say('Clerk'),
      note: say('Fills in forms, and looks things up in the tables.'),
      tables: { [everyOther]: looking },
      forms: { [everyOther]: ['fill', 'open'] },
      places: [],
    },
  ];
}
