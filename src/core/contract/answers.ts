import { keptSetsSchema } from '../plan/asked-sheet';
import { z } from 'zod';
import { columnProfileSchema } from '../formats/csv-profile';
import { importColumnSchema } from '../formats/csv-rows';
import { answerSchema, lookedSchema } from '../entry/asks';
import { driftKinds } from '../entry/drift';
import { openedSchema } from '../entry/stored';
import { querySchema } from '../outside/query';
import { planSchema } from '../plan/schema';
import { indexSchema, tableSchema } from '../table/definition';
import { optionListSchema } from '../table/option-list';
import { problemSchema } from '../problems';
import { expectationSchema, jsonSchema, rehearsalSchema } from '../rehearsal/rehearsal';
import { scalarSchema, valueSchema } from '../values/types';

/**
 * What our own server answers, by what is asked: routes answer in these shapes, screens read what comes by them.
 * Shapes may grow: what a screen does not know of it leaves alone.
 */

const id = z.number().int();
const count = z.number().int().min(0);
/** Milliseconds. */
const took = z.number();

/** Nothing that a screen would look at. */
export const nothingWanted = z.unknown();

/** Under which name what was done can be undone. */
export const doneAnswer = z.object({ submission: z.string() });

export const keySaid = z.object({ key: z.string() });
export const idSaid = z.object({ id: z.string() });

/** A record of a table: its values, and how the records that it refers to are shown. */
export const recordAnswer = z.object({
  id,
  version: id,
  values: z.record(z.string(), valueSchema),
  /** For each reference that is set, the referred record in one line; several with commas between. */
  shown: z.record(z.string(), z.string()),
  /** For each column of several references, how each of them is shown, in the order of the ids. */
  linked: z.record(z.string(), z.array(z.string())).optional(),
});
export type RecordRow = z.infer<typeof recordAnswer>;

/** One page of a table. */
export const recordsAnswer = z.object({
  records: z.array(recordAnswer),
  next: z.string().nullable(),
  /** Records under the filter, counted up to a bound. */
  total: count,
  more: z.boolean(),
  /** Where a search has stopped before the table's end: `next` goes on with it. */
  looked: lookedSchema.nullable().optional(),
});
export type RecordsPage = z.infer<typeof recordsAnswer>;

export const tableAnswer = tableSchema.strip();
export const listAnswer = optionListSchema.strip();

/** Forms that use a table, a column or an option, and where. */
export const usesAnswer = z.array(
  z.object({
    key: z.string(),
    title: z.string(),
    /** By its draft, by its newest edition, or by both. */
    plans: z.array(z.enum(['draft', 'edition'])),
    uses: z.array(z.object({ field: z.string(), questions: z.array(z.string()) })),
  }),
);
export type UsingForm = z.infer<typeof usesAnswer>[number];

/** Of each column that is about to come in: the columns whose values it has, the best first. */
export const importMatchesAnswer = z.array(
  z.array(
    z.object({
      table: z.string(),
      column: z.string(),
      values: count,
      matching: count,
      missing: z.array(z.string()),
    }),
  ),
);
export type ImportMatches = z.infer<typeof importMatchesAnswer>;

/** What a package has brought in. */
export const takenInAnswer = z.object({
  tables: z.array(z.object({ key: z.string(), title: z.string(), rows: count })),
  forms: z.array(z.object({ key: z.string(), title: z.string() })),
});
export type TakenIn = z.infer<typeof takenInAnswer>;

/** What would become of the values of a column that gets another type. */
export const retypingAnswer = z.object({
  records: count,
  fits: count,
  empty: count,
  /** Values that do not fit, the first of them, and how many there are in all. */
  misfits: z.array(z.object({ text: z.string(), count })),
  misfitting: count,
  /** Values that a unique column would have more than once. */
  doubles: z.array(z.object({ text: z.string(), count })),
  /** What would not stand any more: forms, in use or as drafts, and views. */
  breaks: z.array(
    z.object({ key: z.string(), title: z.string(), inUse: z.boolean(), why: z.string() }),
  ),
});
export type Retyping = z.infer<typeof retypingAnswer>;

/** Records of any table that a text finds. */
export const foundAnswer = z.object({
  records: z.array(z.object({ table: z.string(), title: z.string(), id, shown: z.string() })),
});

/** A column of another table whose values a column has. */
export const matchesAnswer = z.array(
  z.object({
    table: z.string(),
    column: z.string(),
    values: count,
    matching: count,
    exceptions: z.array(z.string()),
  }),
);
export type Match = z.infer<typeof matchesAnswer>[number];

/** What is known of a table's size and of its columns' values. */
export const knownAnswer = z.object({
  records: z.array(z.tuple([z.string(), count])),
  dependencies: z.array(
    z.tuple([
      z.string(),
      z.array(
        z.object({
          from: z.string(),
          to: z.string(),
          fromValues: count,
          toValues: count,
          exceptions: z.array(z.object({ value: z.string(), others: z.array(z.string()) })),
        }),
      ),
    ]),
  ),
});

/** A form as the catalog has it. */
const formHead = z.object({
  revision: id,
  edition: count,
  changed: z.boolean(),
});
export const formAnswer = formHead;
export type KeptForm = z.infer<typeof formAnswer>;

/** The draft of a form; nothing where it is the one that the screen has. */
export const draftAnswer = z.object({
  form: formHead.extend({ draftBy: z.string() }),
  plan: planSchema,
});

export const editionAnswer = z.object({ plan: planSchema });
export const editionsAnswer = z.array(
  z.object({
    number: id,
    by: z.string(),
    at: z.string(),
    /** Why it was published over rehearsals that did not hold; `null` where none failed. */
    over: z.string().nullable().default(null),
  }),
);
export type EditionHead = z.infer<typeof editionsAnswer>[number];

/** A rehearsal as it is kept with its form. */
export const rehearsalAnswer = z.object({
  ...{ id, name: z.string(), revision: z.number(), by: z.string(), at: z.string() },
  rehearsal: rehearsalSchema,
});
export type RehearsalAnswer = z.infer<typeof rehearsalAnswer>;
export const rehearsalsAnswer = z.array(rehearsalAnswer);

/** What came of playing a rehearsal. */
export const rehearsalRunAnswer = z.object({
  holds: z.boolean(),
  lines: z.array(
    z.object({
      ...expectationSchema.shape,
      came: jsonSchema.optional(),
      ...{ fits: z.boolean(), unexpected: z.boolean(), step: z.number().nullable() },
    }),
  ),
  lost: z.array(z.number()),
  /** How many answers were not recorded, and were asked anew. */
  unheard: count,
});
export type RehearsalRun = z.infer<typeof rehearsalRunAnswer>;

/** What was asked of a form, answered; a part of it where answers come line by line. */
export const readAnswer = z.object({ answers: z.array(answerSchema) });

export const openedAnswer = z.object({
  opened: openedSchema.nullable(),
  /** The questions that the record was asked, by section. */
  sets: keptSetsSchema.default({}),
});
export const keptAnswer = z.object({ keptAt: z.number() });
export const valuesAnswer = z.object({ values: z.record(z.string(), valueSchema) });

/** What a form has to do with, or may have: definitions, as they go over the wire (`tablesWith`). */
export const houseAnswer = z.object({
  tables: z.array(tableSchema),
  lists: z.array(optionListSchema).optional(),
  // How a query is asked stays on the server.
  queries: z.array(querySchema.extend({ text: z.string() })).optional(),
  systems: z
    .array(
      z.object({
        key: z.string(),
        title: z.string(),
        accepts: z.enum(['http', 'sql']).nullable(),
      }),
    )
    .optional(),
  typed: z.array(z.tuple([z.string(), z.string()])).optional(),
});

/** A form as a new entry begins it. */
export const blankAnswer = z.object({
  plan: planSchema,
  edition: id,
  carried: z.record(z.string(), valueSchema),
  sources: houseAnswer,
  sets: keptSetsSchema.default({}),
});

/** The questions of a form under values, by section, with the rows that cannot be asked. */
export const questionsAnswer = z.object({
  sets: keptSetsSchema,
  sources: houseAnswer,
  faults: z
    .record(
      z.string(),
      z.array(z.object({ row: z.number(), text: z.string(), problem: problemSchema })),
    )
    .default({}),
});

/** A record of an outside system, as a form passes through to it. */
export const throughAnswer = z.object({
  key: z.string(),
  values: z.record(z.string(), valueSchema),
  etag: z.string().nullable(),
});

/** What a guest's link opens. */
export const guestAnswer = z.object({
  /** What somebody reads who has added a record through a public link. */
  message: z.string().default(''),
  plan: planSchema,
  edition: id,
  opened: openedSchema.nullable(),
  through: throughAnswer.nullable(),
  sources: houseAnswer,
  sets: keptSetsSchema.default({}),
});

/** What a save did, record by record. */
export const receiptAnswer = z.object({
  /** How often a guest can save from now on. */
  left: z.number().optional(),
  receipt: z.object({
    submission: z.string(),
    records: z.array(
      z.object({
        table: z.string(),
        title: z.string(),
        id,
        shown: z.string(),
        action: z.enum(['inserted', 'changed', 'deleted']),
      }),
    ),
  }),
});
/** What an undone save had written: so many records. */
export const undoneAnswer = z.object({ receipt: z.object({ records: z.array(z.unknown()) }) });
export type Receipt = z.infer<typeof receiptAnswer>['receipt'];

/** Where a save met what somebody else did: the record as it is now, and what was changed. */
export const clashAnswer = z.object({
  now: openedSchema,
  conflicts: z.array(
    z.object({
      table: z.string(),
      id,
      /** `null` where the whole row is meant. */
      column: z.string().nullable(),
      by: z.string(),
      at: z.string().nullable(),
    }),
  ),
  shown: z.record(z.string(), z.string()),
});

/** What came of a file that was brought in. */
export const importAnswer = z.object({
  rows: count,
  written: count,
  rejectedRows: count,
  rejections: z.array(
    z.object({
      line: z.number(),
      column: z.string().nullable(),
      source: z.number().optional(),
      given: z.string().optional(),
      problem: problemSchema,
    }),
  ),
  table: z.string(),
});
export type ImportResult = z.infer<typeof importAnswer>;

/** What a file holds, and what is proposed for it. */
export const examinedAnswer = z.object({
  ...{ delimiter: z.string(), rows: count },
  profiles: z.array(columnProfileSchema),
  columns: z.array(importColumnSchema),
});

/** What came, or would come, of rows that were matched with those of a table by a column. */
export const byKeyAnswer = importAnswer.extend({
  added: count,
  changed: count,
  /** Rows whose record says the same already, and rows that were not meant. */
  same: count,
  left: count,
  /** The first changes, row by row. */
  steps: z.array(
    z.object({
      line: z.number(),
      record: z.number(),
      name: z.string(),
      changes: z.array(z.object({ label: z.string(), before: z.string(), after: z.string() })),
    }),
  ),
  /** The save by which it was written; `null` where nothing was. */
  submission: z.string().nullable(),
});
export type ByKeyResult = z.infer<typeof byKeyAnswer>;

/** What came of several files that were brought in together, or would come of them. */
export const importedTogether = z.object({
  tables: z.array(importAnswer),
  forms: z.array(z.object({ key: z.string(), title: z.string() })),
});
export type ImportedTogether = z.infer<typeof importedTogether>;

const filePlace = z.object({ file: count, column: count });
/** What several files hold, and which of their columns name rows of others. */
export const examinedTogether = z.object({
  files: z.array(
    z.object({
      file: z.string(),
      /** The place of its sheet, from 1 on. */
      sheet: count,
      name: z.string(),
      title: z.string(),
      delimiter: z.string(),
      rows: count,
      profiles: z.array(columnProfileSchema),
      columns: z.array(importColumnSchema),
      /** How many different values each column has; `null` where they are too many. */
      different: z.array(count.nullable()),
    }),
  ),
  /** What speaks against files that cannot be read; the others are told of all the same. */
  problems: z.array(problemSchema),
  links: z.array(
    z.object({
      ...{ from: filePlace, to: filePlace, values: count, matching: count },
      missing: z.array(z.object({ text: z.string(), line: count, near: z.string().nullable() })),
    }),
  ),
  /** The order in which each comes after those to which it refers. */
  order: z.array(count),
  /** For each file, what of each column is in the house already. */
  matches: z.array(importMatchesAnswer),
});
export type ExaminedTogether = z.infer<typeof examinedTogether>;

/** An answer of an outside system that was tried out. */
export const triedAnswer = z.object({
  /** As it came, cut where it is long. */
  answer: z.unknown(),
  rows: z
    .object({
      rows: z.array(z.record(z.string(), scalarSchema)),
      left: count,
      misfits: z.array(z.string()),
    })
    .nullable(),
  found: count,
  took,
});
export type Tried = z.infer<typeof triedAnswer>;

/** How a connection answered when it was tried. */
export const triedConnectionAnswer = z.object({ said: z.string(), took });

export const linkAnswer = z.object({ link: z.string() });
export const reachAnswer = z.object({
  reach: z.array(z.object({ what: z.string(), which: z.string() })),
});

/** What came of a repair of findings. */
export const driftRepairAnswer = z.object({
  submission: z.string().nullable(),
  changed: count,
  /** Left alone, since somebody has changed them meanwhile. */
  left: count,
  /** Left alone, since more than one value is offered, or none. */
  unsure: count,
  more: z.boolean(),
  /** What would change, where only that was asked for. */
  changes: z.array(
    z.object({ record: id, named: z.string(), before: z.string(), after: z.string() }),
  ),
});
export type DriftRepair = z.infer<typeof driftRepairAnswer>;

/** The newest run over the stored records of a form, and what it has found, by kind and field. */
export const driftAnswer = z.object({
  run: z
    .object({
      ...{ id, edition: z.number(), judged: count, total: count },
      state: z.enum(['running', 'stopped', 'done', 'failed']),
      reason: z.string().nullable(),
    })
    .nullable(),
  found: z.array(
    z.object({
      ...{ kind: z.enum(driftKinds), grid: z.string(), field: z.string(), label: z.string() },
      ...{ message: z.string(), records: count },
      /** By whom and when they were left as they are. */
      left: z.object({ by: z.string(), at: z.string() }).nullable(),
    }),
  ),
});
export type DriftSeen = z.infer<typeof driftAnswer>;

/** An index that was made. */
export const indexAnswer = z.object({ index: indexSchema.strip() });

/** What one can go to by name: forms, lists, tables. */
export const placesAnswer = z.object({
  places: z.array(z.object({ label: z.string(), kind: z.string(), href: z.string() })),
});

/** How far the words have been indexed by which the records of a table are found as it shows them. */
export const wordsAnswer = z.object({
  /** The tables that lack an index of words. */
  lacking: z.array(z.string()),
  /** How many records of them are indexed so far, in which part (0 to 1), of those that are under way. */
  underWay: z.array(z.object({ table: z.string(), share: z.number().min(0).max(1) })),
});

/** How many findings were left as they are, or are told again. */
export const driftLeftAnswer = z.object({ findings: count });

/** A run over stored records. */
export const driftRunAnswer = z.object({ run: count });
