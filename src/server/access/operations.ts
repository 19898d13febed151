import { z, type ZodType } from 'zod';
import * as answers from '$lib/core/contract/answers';
import { countedAnswersSchema } from '$lib/core/contract/counted';
import * as requests from '$lib/core/contract/requests';
import * as people from '$lib/core/contract/people';
import * as programs from '$lib/core/contract/programs';
import { planSchema } from '$lib/core/plan/schema';
import { accountSchema } from '$lib/core/access/person';
import { roleSchema } from '$lib/core/access/role';
import { recordsQuery, type Operation } from '$lib/core/formats/openapi';
import { querySchema } from '$lib/core/outside/query';
import { columnSchema, tableSchema } from '$lib/core/table/definition';
import { optionListSchema } from '$lib/core/table/option-list';
import { entryDraftSchema } from '../records/entry-drafts';
import { readSchema } from '../records/form-read';
import { mediaTypes } from '../out/records';
import { byKeySchema } from '../records/import-by-key';
import { importSchema } from '../records/import';
import { examineTogetherSchema, togetherInSchema } from '../records/import-together';
import { entrySchema } from '../records/save';
import { pressSchema } from '../records/press-button';
import { throughSchema } from '../records/through';
import { allDoors } from './doors';
import { inviteSchema } from './invitations';
import { passkeyMadeSchema, passkeySchema } from './passkeys';
import { setUpSchema, signInSchema } from './sign-in';
import { tokenSchema } from './tokens';

interface Said {
  summary: string;
  body?: ZodType;
  answer?: ZodType;
  file?: Operation['file'];
  status?: number;
  query?: Operation['query'];
}

const done = z.object({ done: z.boolean() });
const nothing = { status: 204 };

/** What each route of the API is asked, and answers, by the schemas that parse it. */
const said: Record<string, Said> = {
  'GET /api/metrics': { summary: 'Figures for machines (Prometheus)', file: ['text/plain'] },
  'GET /api/health': {
    summary: 'Whether the server and its database answer',
    answer: programs.healthAnswer,
  },
  'GET /api/openapi.json': { summary: 'This description', answer: programs.descriptionAnswer },
  'GET /api/plan-schema.json': {
    summary: 'The JSON Schema of a plan',
    answer: programs.descriptionAnswer,
  },
  'POST /api/sign-in': { summary: 'Begins a session', body: signInSchema, answer: done },
  'POST /api/sign-in/demo': {
    body: requests.demoRequest,
    summary: 'Begins a session in the demo',
    answer: done,
  },
  'POST /api/sign-in/passkey/begin': {
    summary: 'What a passkey has to sign',
    answer: programs.passkeyWanted,
  },
  'POST /api/sign-in/passkey': {
    body: passkeySchema,
    summary: 'Begins a session by a passkey',
    answer: done,
  },
  'POST /api/sign-out': { summary: 'Ends the session', answer: done },
  'POST /api/set-up': { summary: 'Makes the first keeper', body: setUpSchema, answer: done },
  'POST /api/welcome/[secret]': {
    body: requests.passwordRequest,
    summary: 'Sets a password by a link',
    answer: done,
  },
  'GET /api/account': {
    summary: 'One’s own account and sessions',
    answer: programs.ownAccountAnswer,
  },
  'PATCH /api/account': {
    body: requests.ownAccountRequest,
    summary: 'Changes one’s own account',
    answer: people.accountAnswer,
  },
  'PUT /api/account/password': {
    body: requests.passwordChangeRequest,
    summary: 'Changes one’s own password',
    answer: done,
  },
  'POST /api/account/code': { summary: 'Begins codes from an app', answer: people.codeBegun },
  'PUT /api/account/code': {
    body: requests.codeRequest,
    summary: 'Turns codes on',
    answer: people.recoveryMade,
  },
  'DELETE /api/account/code': {
    body: requests.codeRequest.pick({ password: true }),
    summary: 'Turns codes off',
    answer: done,
  },
  'POST /api/account/passkeys/begin': {
    summary: 'Begins a passkey',
    answer: programs.passkeyWanted,
  },
  'POST /api/account/passkeys': {
    body: passkeyMadeSchema,
    summary: 'Keeps a passkey',
    answer: done,
    status: 201,
  },
  'DELETE /api/account/passkeys/[passkey]': { summary: 'Removes a passkey', answer: done },
  'DELETE /api/account/sessions/[session]': { summary: 'Ends one of one’s sessions', answer: done },
  'DELETE /api/account/looks-as': { summary: 'Sees with one’s own eyes again', answer: done },
  'GET /api/tokens': { summary: 'One’s own tokens', answer: programs.tokensAnswer },
  'POST /api/tokens': {
    ...{ summary: 'Makes a token', body: tokenSchema, answer: people.tokenMade, status: 201 },
  },
  'DELETE /api/tokens/[token]': { summary: 'Ends a token', answer: done },
  'GET /api/people': { summary: 'All accounts', answer: z.array(people.accountAnswer) },
  'POST /api/people': {
    ...{ summary: 'Adds an account', body: accountSchema, answer: people.accountMade, status: 201 },
  },
  'PATCH /api/people/[account]': {
    body: requests.accountChangeRequest,
    summary: 'Changes an account',
    answer: people.accountAnswer,
  },
  'DELETE /api/people/[account]': { summary: 'Removes an account', ...nothing },
  'POST /api/people/[account]/welcome': {
    ...{ summary: 'A link for a new password', answer: people.linkMade },
  },
  'DELETE /api/people/[account]/sessions': { summary: 'Ends all sessions', answer: done },
  'POST /api/people/[account]/eyes': { summary: 'Sees as somebody does', answer: done },
  'GET /api/roles': { summary: 'All roles', answer: z.array(people.roleAnswer) },
  'POST /api/roles': {
    ...{ summary: 'Makes a role', body: roleSchema, answer: people.roleAnswer, status: 201 },
  },
  'PUT /api/roles/[role]': {
    ...{ summary: 'Changes a role', body: roleSchema.omit({ key: true }) },
    answer: people.roleAnswer,
  },
  'DELETE /api/roles/[role]': { summary: 'Removes a role', ...nothing },
  'POST /api/roles/[role]/try': {
    ...{
      body: requests.conditionRequest,
      summary: 'Tries a condition by record',
      answer: people.triedAnswer,
    },
  },
  'GET /api/connections': {
    summary: 'All connections',
    answer: z.array(programs.connectionAnswer),
  },
  'POST /api/connections': {
    body: requests.connectionRequest,
    summary: 'Makes a connection',
    answer: programs.connectionAnswer,
    status: 201,
  },
  'PUT /api/connections/[connection]': {
    body: requests.connectionChangeRequest,
    summary: 'Changes a connection',
    answer: programs.connectionAnswer,
  },
  'DELETE /api/connections/[connection]': { summary: 'Removes a connection', ...nothing },
  'POST /api/connections/[connection]/try': {
    ...{ summary: 'Reaches an outside system', answer: answers.triedConnectionAnswer },
  },
  'POST /api/outbox/[id]': {
    body: requests.outboxRequest,
    summary: 'Sends again, or drops, what failed',
    ...nothing,
  },
  'GET /api/outside-hosts': { summary: 'Hosts that may be reached', answer: programs.hostsAnswer },
  'PUT /api/outside-hosts': {
    body: requests.hostsRequest,
    summary: 'Changes which hosts may be reached',
    answer: programs.hostsAnswer,
  },
  'GET /api/queries': { summary: 'All queries', answer: z.array(querySchema.strip()) },
  'POST /api/queries': {
    body: querySchema,
    summary: 'Makes a query',
    answer: querySchema.strip(),
    status: 201,
  },
  'PUT /api/queries/[query]': {
    body: querySchema.omit({ key: true }),
    summary: 'Changes a query',
    answer: querySchema.strip(),
  },
  'DELETE /api/queries/[query]': { summary: 'Removes a query', ...nothing },
  'POST /api/queries/try': {
    body: requests.queryTryRequest,
    summary: 'Tries a query',
    answer: answers.triedAnswer,
  },
  'GET /api/forms': {
    summary: 'Published forms with their fields',
    answer: programs.publishedForms,
  },
  'POST /api/forms': {
    body: requests.formRequest,
    summary: 'Makes a form',
    answer: programs.formMadeAnswer,
    status: 201,
  },
  'GET /api/forms/[form]': { summary: 'A form', answer: answers.formAnswer },
  'DELETE /api/forms/[form]': { summary: 'Removes a form', ...nothing },
  'GET /api/forms/[form]/answers': {
    summary: 'What was answered to the questions of a form, counted',
    answer: countedAnswersSchema,
    query: [
      { name: 'section', says: 'The section that asks; the first one' },
      { name: 'from', says: 'The first day (ISO 8601)' },
      { name: 'to', says: 'The last day' },
      { name: 'compare', says: 'none, before or year' },
      { name: 'filter', says: 'Conditions on the sheets, as JSON' },
    ],
  },
  'POST /api/forms/[form]/buttons/[button]': {
    ...{ summary: 'Presses a button', body: pressSchema, answer: programs.pressedAnswer },
  },
  'GET /api/forms/[form]/draft': { summary: 'The draft', answer: answers.draftAnswer },
  'PUT /api/forms/[form]/draft': {
    body: requests.draftRequest,
    summary: 'Keeps a draft',
    answer: answers.formAnswer,
  },
  'GET /api/forms/[form]/drift': {
    summary: 'What of the stored records does not fit, as the newest run tells',
    answer: answers.driftAnswer,
  },
  'POST /api/forms/[form]/drift': {
    body: requests.driftRequest,
    summary: 'Holds the stored records against the form as it is now',
    answer: answers.driftRunAnswer,
  },
  'DELETE /api/forms/[form]/drift': {
    summary: 'Stops that where it is',
    ...nothing,
  },
  'POST /api/forms/[form]/drift/leave': {
    summary: 'Leaves findings as they are, in later runs too, or tells them again',
    body: requests.driftLeaveRequest,
    answer: answers.driftLeftAnswer,
  },
  'POST /api/forms/[form]/drift/repair': {
    body: requests.driftRepairRequest,
    summary: 'Repairs what was found, in one save',
    answer: answers.driftRepairAnswer,
  },
  'GET /api/forms/[form]/rehearsals': {
    summary: 'The rehearsals of a form',
    answer: answers.rehearsalsAnswer,
  },
  'POST /api/forms/[form]/rehearsals': {
    body: requests.keepRehearsalRequest,
    summary: 'Keeps what was filled in as a rehearsal',
    answer: answers.rehearsalAnswer,
    status: 201,
  },
  'PUT /api/forms/[form]/rehearsals/[id]': {
    body: requests.changeRehearsalRequest,
    summary: 'Changes its name, or how much it expects',
    answer: answers.rehearsalAnswer,
  },
  'DELETE /api/forms/[form]/rehearsals/[id]': { summary: 'Takes a rehearsal out', ...nothing },
  'POST /api/forms/[form]/rehearsals/[id]/run': {
    body: requests.runRehearsalRequest,
    summary: 'Plays a rehearsal on the draft',
    answer: answers.rehearsalRunAnswer,
  },
  'GET /api/forms/[form]/editions': { summary: 'All editions', answer: answers.editionsAnswer },
  'POST /api/forms/[form]/editions': {
    body: requests.publishRequest,
    summary: 'Publishes',
    answer: programs.formMadeAnswer,
    status: 201,
  },
  'GET /api/forms/[form]/editions/[edition]/entry-schema.json': {
    ...{ summary: 'The JSON Schema of what an edition takes', answer: programs.descriptionAnswer },
  },
  'GET /api/forms/[form]/editions/[edition]': {
    ...{ summary: 'An edition', answer: answers.editionAnswer },
  },
  'POST /api/forms/[form]/entries': {
    summary: 'Saves what was filled in: all of it, or none',
    ...{ body: entrySchema, answer: answers.receiptAnswer, status: 201 },
  },
  'GET /api/forms/[form]/entry-draft': {
    summary: 'What one has begun',
    answer: programs.entryDraftAnswer,
  },
  'PUT /api/forms/[form]/entry-draft': {
    ...{ summary: 'Keeps what one has begun', body: entryDraftSchema, answer: answers.keptAnswer },
  },
  'DELETE /api/forms/[form]/entry-draft': { summary: 'Drops what one has begun', ...nothing },
  'GET /api/forms/[form]/house': {
    summary: 'All that the fields of a form may have to do with',
    answer: answers.houseAnswer,
  },
  'GET /api/forms/[form]/new': { summary: 'A form as it begins', answer: answers.blankAnswer },
  'GET /api/forms/[form]/plan.json': { summary: 'The plan as a file', answer: planSchema },
  'POST /api/forms/[form]/questions': {
    summary: 'The questions that a form asks under values',
    ...{ body: requests.questionsRequest, answer: answers.questionsAnswer },
  },
  'GET /api/forms/[form]/reach': {
    ...{ summary: 'What a guest would be told', answer: answers.reachAnswer },
  },
  'POST /api/forms/[form]/read': {
    summary: 'Choices, brought values and totals under the values of an entry',
    ...{ body: readSchema, answer: answers.readAnswer },
  },
  'GET /api/forms/[form]/records/[id]': {
    ...{ summary: 'A stored record as the form opens it', answer: answers.openedAnswer },
  },
  'GET /api/forms/[form]/through': {
    ...{ summary: 'An outside record', answer: answers.throughAnswer },
    query: [{ name: 'key', says: 'The key of the record' }],
  },
  'POST /api/forms/[form]/through': {
    ...{ summary: 'Writes an outside record', body: throughSchema, answer: answers.throughAnswer },
  },
  'POST /api/saves/[save]/undo': {
    ...{ summary: 'Undoes a save', answer: answers.undoneAnswer, status: 201 },
  },
  'POST /api/guest/[token]/open': {
    body: requests.effortRequest,
    summary: 'Lets a guest in',
    answer: answers.guestAnswer,
  },
  'POST /api/guest/[token]/questions': {
    summary: 'The same for a guest',
    ...{ body: requests.questionsRequest, answer: answers.questionsAnswer },
  },
  'POST /api/guest/[token]/read': {
    ...{ summary: 'The same for a guest', body: readSchema, answer: answers.readAnswer },
  },
  'POST /api/guest/[token]/entries': {
    ...{ summary: 'Saves a guest’s record', body: entrySchema, answer: answers.receiptAnswer },
    status: 201,
  },
  'GET /api/guest/[token]/through': {
    ...{ summary: 'A guest’s outside record', answer: answers.throughAnswer },
  },
  'POST /api/guest/[token]/through': {
    ...{ summary: 'Writes a guest’s outside record', body: throughSchema },
    answer: answers.throughAnswer,
  },
  'GET /api/invitations': { summary: 'All invitations', answer: programs.invitationsAnswer },
  'POST /api/invitations': {
    ...{ summary: 'Invites a guest', body: inviteSchema, answer: answers.linkAnswer, status: 201 },
  },
  'DELETE /api/invitations/[id]': { summary: 'Revokes an invitation', ...nothing },
  'GET /api/find': {
    ...{ summary: 'Records of all tables that a text finds', answer: answers.foundAnswer },
    query: [{ name: 'search', says: 'Two letters at least' }],
  },
  'POST /api/imports': {
    ...{ summary: 'Opens an import', body: importSchema, answer: answers.idSaid, status: 201 },
  },
  'POST /api/files': { summary: 'Begins to hand in a file (tus 1.0)', status: 201 },
  'GET /api/files/[file]': { summary: 'A file of a record', file: ['application/octet-stream'] },
  'PATCH /api/files/[file]': { summary: 'The next bytes of a file (tus 1.0)', ...nothing },
  'DELETE /api/files/[file]': { summary: 'Takes a file back that stands in no record', ...nothing },
  'POST /api/guest/[token]/files': { summary: 'Begins to hand in a guest’s file', status: 201 },
  'GET /api/guest/[token]/files/[file]': {
    ...{ summary: 'A file of a guest’s form', file: ['application/octet-stream'] },
  },
  'PATCH /api/guest/[token]/files/[file]': { summary: 'The next bytes of it', ...nothing },
  'DELETE /api/guest/[token]/files/[file]': { summary: 'Takes it back', ...nothing },
  'PUT /api/imports/[id]/file': { summary: 'Takes the file, and answers line by line' },
  'POST /api/imports/by-key': {
    ...{ summary: 'Adds and changes records by the rows of a file', body: byKeySchema },
    answer: answers.byKeyAnswer,
  },
  'POST /api/imports/together': {
    ...{ summary: 'Imports several files together, and answers line by line' },
    body: togetherInSchema,
  },
  'POST /api/imports/together/examine': {
    ...{ summary: 'Says what several files hold, and how they refer to one another' },
    ...{ body: examineTogetherSchema, answer: answers.examinedTogether },
  },
  'POST /api/imports/examine': {
    summary: 'Says what a file holds',
    answer: answers.examinedAnswer,
  },
  'GET /api/lists': { summary: 'All option lists', answer: programs.listsAnswer },
  'POST /api/lists': {
    ...{
      summary: 'Makes an option list',
      body: optionListSchema,
      answer: answers.listAnswer,
      status: 201,
    },
  },
  'GET /api/lists/[list]': { summary: 'An option list', answer: answers.listAnswer },
  'PUT /api/lists/[list]': {
    body: requests.listChangeRequest,
    summary: 'Changes an option list',
    answer: answers.listAnswer,
  },
  'DELETE /api/lists/[list]': { summary: 'Removes an option list', ...nothing },
  'GET /api/tables': { summary: 'All tables', answer: programs.tablesAnswer },
  'POST /api/tables': {
    ...{ summary: 'Makes a table', body: tableSchema, answer: answers.tableAnswer, status: 201 },
  },
  'GET /api/places': { summary: 'What one can go to by name', answer: answers.placesAnswer },
  'GET /api/tables/[table]': { summary: 'A table', answer: answers.tableAnswer },
  'PATCH /api/tables/[table]': {
    body: requests.tableChangeRequest,
    summary: 'Changes a table',
    answer: answers.tableAnswer,
  },
  'DELETE /api/tables/[table]': { summary: 'Removes a table', ...nothing },
  'POST /api/tables/[table]/indexes': {
    summary: 'Makes an index of a column',
    body: requests.indexRequest,
    answer: answers.indexAnswer,
  },
  'GET /api/tables/[table]/words': {
    summary: 'How far the words of a large table have been indexed',
    answer: answers.wordsAnswer,
  },
  'POST /api/tables/[table]/words': {
    summary: 'Has the words indexed by which records of a table are found as it shows them',
    answer: answers.wordsAnswer,
  },
  'POST /api/tables/[table]/columns': {
    ...{ summary: 'Adds a column', body: columnSchema, answer: answers.tableAnswer, status: 201 },
  },
  'PATCH /api/tables/[table]/columns/[column]': {
    body: requests.columnChangeRequest,
    summary: 'Changes a column',
    answer: answers.tableAnswer,
  },
  'DELETE /api/tables/[table]/columns/[column]': {
    summary: 'Removes a column',
    answer: answers.tableAnswer,
  },
  'POST /api/tables/[table]/columns/[column]/type': {
    ...{ summary: 'What would become of the values of a column under another type' },
    ...{ body: requests.retypeRequest, answer: answers.retypingAnswer },
  },
  'PUT /api/tables/[table]/columns/[column]/type': {
    ...{ summary: 'Gives a column another type, with its values', answer: answers.tableAnswer },
    body: requests.retypeRequest,
  },
  'DELETE /api/tables/[table]/columns/[column]/type': {
    ...{ summary: 'Gives a column back the type that it had before', answer: answers.tableAnswer },
  },
  'GET /api/tables/[table]/columns/[column]/matches': {
    ...{ summary: 'Tables whose keys a column holds', answer: answers.matchesAnswer },
  },
  'GET /api/tables/[table]/known': {
    ...{ summary: 'What the data say about a table', answer: answers.knownAnswer },
  },
  'GET /api/tables/[table]/records': {
    ...{ summary: 'Records of a table', answer: answers.recordsAnswer, query: recordsQuery },
  },
  'POST /api/tables/[table]/records': {
    ...{
      body: requests.recordRequest,
      summary: 'Adds a record',
      answer: answers.recordAnswer,
      status: 201,
    },
  },
  'GET /api/package': {
    ...{ summary: 'The house, or some tables, as a Data Package', file: ['application/zip'] },
    query: [{ name: 'tables', says: 'keys of tables with commas between; all, where left out' }],
  },
  'POST /api/package': {
    ...{ summary: 'Brings a Data Package in (zip)', answer: answers.takenInAnswer },
    query: [{ name: 'drafts', says: '1: forms are drafted for its tables' }],
  },
  'GET /api/tables/[table]/export': {
    ...{ summary: 'Records of a table as a file', file: Object.values(mediaTypes) },
    query: [
      ...recordsQuery,
      { name: 'format', says: 'csv, jsonl or xlsx' },
      { name: 'references', says: 'names or numbers' },
    ],
  },
  'POST /api/tables/[table]/together': {
    ...{
      body: requests.togetherRequest,
      summary: 'Adds, changes and removes records of a table in one save',
      answer: answers.doneAnswer,
    },
  },
  'GET /api/tables/[table]/records/[id]': { summary: 'A record', answer: answers.recordAnswer },
  'PATCH /api/tables/[table]/records/[id]': {
    ...{
      body: requests.recordChangeRequest,
      summary: 'Changes a record',
      answer: answers.recordAnswer,
    },
  },
  'DELETE /api/tables/[table]/records/[id]': {
    ...{ summary: 'Removes a record', answer: answers.doneAnswer },
    query: [{ name: 'version', says: 'The version that was seen' }],
  },
  'POST /api/tables/[table]/records/[id]/restore': {
    ...{
      body: requests.restoreRequest,
      summary: 'Brings an earlier state back',
      answer: answers.recordAnswer,
    },
  },
  'GET /api/tables/[table]/uses': {
    ...{ summary: 'Forms that use a table', answer: answers.usesAnswer },
  },
};

/** Everything that programs can ask, as the doors have it; fails for a route of which nothing is said. */
export function allOperations(): Operation[] {
  return allDoors()
    .filter(({ route }) => route.startsWith('/api/'))
    .map(({ route, method, needs }) => {
      const known = said[`${method} ${route}`];
      if (!known) throw new Error(`Nothing is said of ${method} ${route}.`);
      const path = route.replace(/\[(\w+)\]/g, '{$1}');
      return { status: 200, ...known, method, path, open: needs.includes('anyone') };
    });
}
