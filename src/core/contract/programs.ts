import { z } from 'zod';
import { namedConnectionSchema } from '../outside/query';
import { columnSchema } from '../table/definition';
import { optionListSchema } from '../table/option-list';
import { accountAnswer } from './people';

/** What our own server answers that programs read rather than screens; see `answers.ts`. */

/** A JSON Schema, or another description of the same kind, whose own standard says what stands in it. */
export const descriptionAnswer = z.looseObject({});

export const healthAnswer = z.object({
  /** `worry`: it works, and somebody should look at what is named. */
  status: z.enum(['ok', 'worry']),
  database: z.literal('ok'),
  version: z.string(),
  worries: z.array(z.string()),
});

/** What a passkey has to sign, as WebAuthn has it (Level 3, options in JSON). */
export const passkeyWanted = z.looseObject({ challenge: z.string() });

export const ownAccountAnswer = z.object({
  account: accountAnswer,
  sessions: z.array(
    z.object({
      ...{ id: z.string(), madeAt: z.string(), seenAt: z.string() },
      ...{ agent: z.string(), address: z.string(), way: z.string() },
    }),
  ),
});

export const tokensAnswer = z.array(
  z.object({
    ...{ id: z.string(), name: z.string(), role: z.string(), by: z.string() },
    ...{ madeAt: z.string(), endsAt: z.string(), usedAt: z.string().nullable() },
  }),
);

/** A connection, without its secret. */
export const connectionAnswer = namedConnectionSchema
  .extend({ hasSecret: z.boolean(), by: z.string() })
  .strip();

export const hostsAnswer = z.object({ hosts: z.array(z.string()) });

export const publishedForms = z.array(
  z.object({
    ...{ key: z.string(), title: z.string(), table: z.string(), edition: z.number().int() },
    fields: z.array(z.object({ key: z.string(), label: z.string(), required: z.boolean() })),
  }),
);

/** A form as the catalog has it. */
export const formMadeAnswer = z.object({
  ...{ id: z.number().int(), key: z.string(), title: z.string(), table: z.string() },
  /** The newest edition; 0 before the first. */
  edition: z.number().int(),
  revision: z.number().int(),
  ...{ draftBy: z.string(), draftAt: z.string(), changed: z.boolean() },
});

/** How many messages were noted for systems outside. */
export const pressedAnswer = z.object({ noted: z.number().int() });

/** What one has begun in a form; `null` where that is nothing. */
export const entryDraftAnswer = z.object({
  draft: z
    .object({
      ...{ at: z.number(), about: z.string(), keptAt: z.number() },
      /** The form's own: values by field, rows by grid. */
      content: z.record(z.string(), z.unknown()),
    })
    .nullable(),
});

export const invitationsAnswer = z.array(
  z.object({
    ...{ id: z.string(), form: z.string(), record: z.number().nullable() },
    ...{ key: z.string().nullable(), adds: z.boolean(), perHour: z.number().nullable() },
    ...{ message: z.string(), note: z.string(), endsAt: z.string() },
    ...{ uses: z.number(), used: z.number(), revokedAt: z.string().nullable() },
    ...{ by: z.string(), madeAt: z.string() },
  }),
);

export const listsAnswer = z.array(optionListSchema.strip());

export const tablesAnswer = z.array(
  z.object({
    ...{ key: z.string(), title: z.string() },
    /** About, where they are many. */
    records: z.number().int(),
    columns: z.array(columnSchema),
  }),
);
