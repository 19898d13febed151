import type { Knex } from 'knex';
import type { Invitation } from '$lib/core/access/invitation';
import { createHash, randomBytes } from 'node:crypto';
import { jwtVerify, SignJWT } from 'jose';
import { z } from 'zod';
import { effortText, isEffort } from '$lib/core/access/effort';
import { fail } from '$lib/core/problems';
import { keySchema } from '$lib/core/values/key';
import { loadEdition } from '../catalog/forms';
import type { Database } from '../database/connection';
import { underLease } from '../database/lease';
import { inTransaction } from '../database/transaction';
import { moment } from './accounts';
import { serverKey } from './keys';

/** What somebody says when inviting a guest: to one record of a form, or to one outside record. */
export const inviteSchema = z
  .strictObject({
    form: keySchema,
    record: z.number().int().min(1).optional(),
    key: z.string().min(1).max(200).optional(),
    /** Anybody who has the link adds records through the form. */
    adds: z.literal(true).optional(),
    perHour: z.number().int().min(1).max(10_000).optional(),
    message: z.string().trim().max(500).default(''),
    note: z.string().trim().max(200).default(''),
    days: z.number().int().min(1).max(365),
    uses: z.number().int().min(1).max(100_000),
  })
  .refine(
    ({ record, key, adds }) => [record, key, adds].filter((one) => one !== undefined).length === 1,
    { message: 'a record, a key, or new ones' },
  );
export type Invite = z.infer<typeof inviteSchema>;

interface InvitationRow {
  id: string;
  form_key: string;
  record_id: number | null;
  through_key: string | null;
  note: string;
  ends_at: string;
  uses: number;
  used?: number;
  adds: number | boolean;
  per_hour: number | null;
  message: string;
  revoked_at: string | null;
  made_by: string;
  made_at: string;
}

/** Makes an invitation; gives it with the token that its link carries, which is kept nowhere. */
export async function makeInvitation(
  db: Database,
  { form, record, key, adds, perHour, message, note, days, uses }: Invite,
  by: string,
): Promise<{ invitation: Invitation; token: string }> {
  const { plan } = await loadEdition(db, form);
  if ((plan.through != null) !== (key !== undefined)) fail('invitation_misfit', {}, 422);
  const id = randomBytes(16).toString('base64url');
  const ends = new Date(Date.now() + days * 86_400_000);
  await invitations(db).insert({
    id,
    form_key: form,
    record_id: record ?? null,
    through_key: key ?? null,
    note,
    ends_at: ends.toISOString().slice(0, 19).replace('T', ' '),
    uses,
    ...{ made_by: by, adds: adds === true, per_hour: perHour ?? null, message },
  });
  return { invitation: await invitationOf(db, id), token: await tokenOf(id, ends) };
}

/** The invitation that a token is for. Fails where it was altered, has ended, or was revoked. */
export async function verifyInvitation(db: Database, token: string): Promise<Invitation> {
  let id: string;
  try {
    const { payload } = await jwtVerify(token, serverKey('invitations'), { algorithms: ['HS256'] });
    id = String(payload.jti);
  } catch (error) {
    const ended = (error as { code?: string }).code === 'ERR_JWT_EXPIRED';
    return fail(ended ? 'invitation_ended' : 'invitation_bad', {}, ended ? 410 : 404);
  }
  const invitation = await invitationOf(db, id);
  if (invitation.revokedAt !== null) fail('invitation_revoked', {}, 410);
  if (Date.parse(invitation.endsAt) < Date.now()) fail('invitation_ended', {}, 410);
  return invitation;
}

/** Another save with the same invitation may take so long. Milliseconds. */
const longestSave = 30_000;

/**
 * Runs a guest's save outside of the house and counts it as a use; one after the other for each invitation, so
 * that no more go through than allowed, however many come at once. A repeated submission is no further use.
 */
export async function usingInvitation<T>(
  db: Database,
  { id }: Invitation,
  submission: string,
  save: () => Promise<T>,
): Promise<T> {
  return underLease(db, `invitation ${id}`, longestSave, async () => {
    await inTransaction(db, (trx) => countUse(db, trx, id, submission, 'look'));
    const saved = await save();
    await inTransaction(db, (trx) => countUse(db, trx, id, submission));
    return saved;
  });
}

/**
 * Counts a use of an invitation in the transaction of what it is used for: both are done, or neither. The
 * invitation is held until it ends. A repeated submission is no further use.
 */
export async function countUse(
  db: Database,
  trx: Knex.Transaction,
  id: string,
  submission: string,
  /** Whether it is counted, or only looked at whether it could be. */
  how: 'count' | 'look' = 'count',
): Promise<void> {
  const row = await trx('invitation').withSchema(db.catalog).where({ id }).forUpdate().first();
  if (!row || row.revoked_at !== null) fail('invitation_revoked', {}, 410);
  const uses = () => trx('invitation_use').withSchema(db.catalog);
  const own = () => uses().where({ invitation_id: id });
  if (await own().where({ submission }).first('submission')) return;
  const counted = async (some: Knex.QueryBuilder) => Number((await some.count({ n: '*' }))[0]?.n);
  if ((await counted(own())) >= Number(row.uses)) fail('invitation_used_up', {}, 410);
  const hour = own().whereRaw('at > utc_timestamp() - interval 1 hour');
  if (row.per_hour !== null && (await counted(hour)) >= Number(row.per_hour)) {
    fail('invitation_busy', {}, 429);
  }
  if (how === 'count') await uses().insert({ invitation_id: id, submission });
}

/** Takes an invitation back; its link opens nothing any more. */
export async function revokeInvitation(db: Database, id: string): Promise<void> {
  const changed = await invitations(db)
    .where({ id, revoked_at: null })
    .update({ revoked_at: db.knex.fn.now() });
  if (changed === 0) fail('invitation_bad', {}, 404);
}

/** All invitations, the newest first. */
export async function listInvitations(db: Database, limit = 100): Promise<Invitation[]> {
  const rows = (await withUses(db).orderBy('made_at', 'desc').limit(limit)) as InvitationRow[];
  return rows.map(read);
}

async function invitationOf(db: Database, id: string): Promise<Invitation> {
  const row = (await withUses(db).where({ id }).first()) as InvitationRow | undefined;
  return row ? read(row) : fail('invitation_bad', {}, 404);
}

function tokenOf(id: string, ends: Date): Promise<string> {
  return new SignJWT()
    .setProtectedHeader({ alg: 'HS256' })
    .setJti(id)
    .setExpirationTime(ends)
    .sign(serverKey('invitations'));
}

/** How long a challenge can be answered, and how long a guest stays let in. */
const challengeLasts = '5m';
const passLasts = '2h';

/** A challenge for the guest's browser: signed, so that only the server's own are taken. */
export function challengeFor({ id }: Invitation): Promise<string> {
  return new SignJWT({ salt: randomBytes(9).toString('base64url') })
    .setProtectedHeader({ alg: 'HS256' })
    .setSubject(id)
    .setExpirationTime(challengeLasts)
    .sign(serverKey('challenges'));
}

/**
 * Lets a guest in whose browser has made the effort; gives the pass for what follows. It is for the edition that
 * is opened with it, and for no other.
 */
export async function passFor(
  { id }: Invitation,
  challenge: string,
  nonce: number,
  edition: number,
): Promise<string> {
  try {
    await jwtVerify(challenge, serverKey('challenges'), { algorithms: ['HS256'], subject: id });
  } catch {
    return fail('invitation_effort', {}, 403);
  }
  const hash = createHash('sha256').update(effortText(challenge, nonce)).digest();
  if (!isEffort(hash)) return fail('invitation_effort', {}, 403);
  return new SignJWT({ edition })
    .setProtectedHeader({ alg: 'HS256' })
    .setSubject(id)
    .setExpirationTime(passLasts)
    .sign(serverKey('passes'));
}

/** The edition that a pass is for. Refuses whoever has no pass for this invitation. */
export async function requirePass(
  { id }: Invitation,
  pass: string | undefined,
): Promise<{ edition: number }> {
  try {
    const algorithms = ['HS256'];
    const { payload } = await jwtVerify(pass ?? '', serverKey('passes'), {
      algorithms,
      subject: id,
    });
    return passSchema.parse(payload);
  } catch {
    return fail('invitation_effort', {}, 403);
  }
}

const passSchema = z.object({ edition: z.number().int().min(1) });

function read(row: InvitationRow): Invitation {
  return {
    id: row.id,
    form: row.form_key,
    record: row.record_id === null ? null : Number(row.record_id),
    key: row.through_key,
    adds: Boolean(row.adds),
    perHour: row.per_hour === null ? null : Number(row.per_hour),
    message: row.message,
    note: row.note,
    endsAt: moment(row.ends_at) ?? '',
    uses: Number(row.uses),
    used: Number(row.used ?? 0),
    revokedAt: moment(row.revoked_at),
    by: row.made_by,
    madeAt: moment(row.made_at) ?? '',
  };
}

function withUses(db: Database) {
  const used = `(select count(*) from \`${db.catalog}\`.invitation_use u where u.invitation_id = invitation.id) as used`;
  return invitations(db).select('*', db.knex.raw(used));
}

function invitations(db: Database) {
  return db.knex('invitation').withSchema(db.catalog);
}
