import { z } from 'zod';
import { accountSchema } from '../access/person';
import { driftKinds } from '../entry/drift';
import { linkSchema } from '../entry/filled';
import {
  longestRehearsalName,
  longestWhy,
  rehearsalSchema,
  strictnesses,
} from '../rehearsal/rehearsal';
import { namedConnectionSchema, querySchema } from '../outside/query';
import { askedHashesSchema } from '../plan/asked-sheet';
import { planSchema } from '../plan/schema';
import { optionListSchema } from '../table/option-list';
import { namedViewSchema } from '../table/view';
import { keySchema } from '../values/key';
import { isZone, ownLanguages } from '../words/reader';
import { filesTypeSchema } from '../values/files';
import { optionSchema, scalarSchema, valueTypeSchema, valueSchema } from '../values/types';

/** What the server is asked: the schemas that parse the bodies of requests, and describe them (OpenAPI). */

const title = z.string().trim().min(1).max(200);
const { name, shown, email, roles, link } = accountSchema.shape;

/** Brings a record back to how it was after a step of its history. */
export const restoreRequest = z.strictObject({
  version: z.number().int().min(1),
  /** The step of the history after which the record was as it is to be again. */
  step: z.number().int().min(1),
});

/** What of a record changes, by the version that was seen. */
export const recordChangeRequest = z.strictObject({
  version: z.number().int().min(1),
  values: z.record(z.string(), z.unknown()),
});

/** A new record. */
export const recordRequest = z.strictObject({ values: z.record(z.string(), z.unknown()) });

/** What is done to several records of one table together: all of it, or nothing. */
export const togetherRequest = z
  .strictObject({
    add: z.array(z.record(z.string(), z.unknown())).max(2000).default([]),
    change: z
      .array(
        z.strictObject({
          id: z.number().int().min(1),
          version: z.number().int().min(1),
          values: z.record(z.string(), z.unknown()),
        }),
      )
      .max(2000)
      .default([]),
    remove: z
      .array(z.strictObject({ id: z.number().int().min(1), version: z.number().int().min(1) }))
      .max(2000)
      .default([]),
  })
  .refine(({ add, change, remove }) => add.length + change.length + remove.length > 0, {
    message: 'nothing to do',
  });

/** Another key of a column, or other options. */
export const columnChangeRequest = z.union([
  z.strictObject({ key: keySchema }),
  z.strictObject({ options: z.array(optionSchema).min(1).max(500) }),
  z.strictObject({ files: filesTypeSchema.omit({ kind: true }) }),
  /** Its own options become a list of this title, or (`null`) those of its list its own. */
  z.strictObject({ listed: z.string().trim().min(1).max(200).nullable() }),
]);

/** What a column is to become. */
export const retypeRequest = z.strictObject({
  type: valueTypeSchema,
  required: z.boolean().default(false),
  unique: z.boolean().default(false),
  /** Of a reference: the column of the other table whose values stand in this one. */
  by: keySchema.nullable().default(null),
  /** What stands for a value that does not fit, by that value as text; empty for none. */
  corrections: z.record(z.string().max(2000), z.string().max(2000)).default({}),
  /** Whether what does not fit is left empty. */
  empties: z.boolean().default(false),
});

/** How a table is called and shown; its views that are kept or dropped. */
export const tableChangeRequest = z.strictObject({
  /** Another key; carried through everything that names the table. */
  key: keySchema.optional(),
  title: title.optional(),
  display: z.array(keySchema).min(1).max(6).optional(),
  labels: z.record(keySchema, title).optional(),
  /** The keys of all columns in the order in which they are to stand. */
  order: z.array(keySchema).max(150).optional(),
  views: z
    .strictObject({
      keeps: z.array(namedViewSchema).max(50).optional(),
      drops: z.array(z.string().max(48)).max(50).optional(),
    })
    .optional(),
});

/** Which hosts outside systems may stand on. */
export const hostsRequest = z.strictObject({
  hosts: z
    .array(
      z
        .string()
        .max(260)
        .regex(/^[a-z0-9.-]+(:\d{1,5})?$/i, 'a host, with its port if you like'),
    )
    .max(100),
});

/** Turns codes from an app on, with the first of them. */
export const codeRequest = z.strictObject({
  secret: z.string().regex(/^[A-Z2-7]{16,64}$/),
  code: z.string().max(20),
  password: z.string().max(1000),
});

/** What people say of themselves. */
export const ownAccountRequest = z.strictObject({
  email: z.union([z.literal(''), z.email().max(200)]).optional(),
  /** How they are spoken to, and how days and numbers are written (BCP 47); `null`: as their browser asks. */
  language: z.enum(ownLanguages).nullable().optional(),
  /** Where they are (IANA); `null`: as their browser says. */
  zone: z.string().refine(isZone, 'a time zone').nullable().optional(),
});

/** Another password of one’s own. */
export const passwordChangeRequest = z.strictObject({
  current: z.string().max(1000),
  password: z.string().max(1000),
});

/** A connection; its secret only where it changes. */
export const connectionChangeRequest = namedConnectionSchema
  .omit({ key: true })
  .extend({ secret: z.string().max(2000).optional() });

/** A new connection. */
export const connectionRequest = namedConnectionSchema.extend({
  secret: z.string().max(2000).optional(),
});

/** Which of the people of the demo. */
export const demoRequest = z.strictObject({ name: z.string().max(100) });

/** An option list, by the revision that was seen. */
export const listChangeRequest = optionListSchema
  .omit({ key: true })
  .extend({ revision: z.number().int().min(1) });

/** A condition by record, to be tried. */
export const conditionRequest = z.strictObject({
  table: z.string().max(48),
  when: z.string().max(2000),
});

/** What is to be done with what could not be sent. */
export const outboxRequest = z.strictObject({ step: z.enum(['retry', 'drop']) });

/** A first password, or a forgotten one anew. */
export const passwordRequest = z.strictObject({ password: z.string().max(1000) });

/** The effort of a guest’s browser. */
export const effortRequest = z.strictObject({
  challenge: z.string().max(1000),
  nonce: z.number().int().min(0),
});

/** Publishes the draft that was seen. */
export const publishRequest = z.strictObject({
  revision: z.number().int().min(1),
  /** Why it is published over rehearsals that do not hold. */
  why: z.string().trim().min(1).max(longestWhy).optional(),
});

const rehearsalName = z.string().trim().min(1).max(longestRehearsalName);

/** A filling that is to be kept as a rehearsal, or rehearsals that come with a plan. */
export const keepRehearsalRequest = z.union([
  z.strictObject({
    name: rehearsalName,
    /** The revision of the draft under which it was filled in. */
    draft: z.number().int().min(1),
    steps: rehearsalSchema.shape.steps,
    asked: askedHashesSchema.default({}),
    link: linkSchema.default({}),
    /** The stored record that it begins with. */
    record: z.number().int().min(1).nullable().default(null),
  }),
  z.strictObject({ name: rehearsalName, rehearsal: rehearsalSchema }),
]);

/** What is changed of a rehearsal: its name, or how much is expected of each of its lines. */
export const changeRehearsalRequest = z.strictObject({
  revision: z.number().int().min(1),
  name: rehearsalName.optional(),
  hows: z.array(z.enum(strictnesses)).max(50_000).optional(),
});

/** How a rehearsal is to be played on a draft. */
export const runRehearsalRequest = z.strictObject({
  draft: z.number().int().min(1),
  /** With the answers that were recorded, or with those of today. */
  answers: z.enum(['recorded', 'now']).default('recorded'),
  /** Whether what comes is what is expected from now on. */
  accept: z.boolean().default(false),
});

/** A draft, by the revision that was seen. */
export const draftRequest = z.strictObject({ revision: z.number().int().min(1), plan: planSchema });

/** Values under which the questions of a form are wanted; those of sections that are said stay as they were asked. */
export const questionsRequest = z
  .strictObject({
    edition: z.number().int().min(1).optional(),
    draft: z.number().int().min(1).optional(),
    asked: askedHashesSchema.optional(),
    values: z.record(z.string(), z.unknown()).default({}),
  })
  .refine((r) => (r.edition === undefined) !== (r.draft === undefined), {
    message: 'either edition or draft',
  });

/** A new form of a table: empty, or with a plan. */
export const formRequest = z.strictObject({
  table: keySchema,
  title: title.optional(),
  key: keySchema.optional(),
  plan: planSchema.optional(),
});

/** What a keeper changes of an account. */
export const accountChangeRequest = z
  .strictObject({
    ...{ name, shown, roles },
    email: email.unwrap(),
    link: link.unwrap(),
    state: z.enum(['active', 'locked']),
  })
  .partial();

/** A query with values, to be tried. */
export const queryTryRequest = z.strictObject({
  query: querySchema,
  values: z.record(z.string(), scalarSchema),
});

/** Columns by which a table is sorted or narrowed often. */
export const indexRequest = z.strictObject({
  columns: z.array(keySchema).min(1).max(8),
});

/** Begins to hold stored records against a form, or has it go on. */
export const driftRequest = z.strictObject({
  against: z.enum(['edition', 'draft']).default('edition'),
  /** A run that was stopped and is to go on. */
  goesOn: z.number().int().min(1).optional(),
});

/** Findings of one kind at a field. */
const driftFindings = z.strictObject({
  kind: z.enum(driftKinds),
  /** The grid of the field; empty for fields of the record itself. */
  grid: z.string().max(48),
  field: keySchema,
  message: z.string().max(500),
});

/** Leaves findings as they are, in later runs too, or tells them again. */
export const driftLeaveRequest = driftFindings.extend({ leave: z.boolean() });

/** What is done about them. */
export const driftRepairRequest = driftFindings.extend({
  /** What would come out today, nothing, the only value that is offered, or a given one. */
  take: z.union([z.enum(['now', 'nothing', 'only']), z.strictObject({ value: valueSchema })]),
  /** Says what would change, and changes nothing. */
  preview: z.boolean().default(false),
});
