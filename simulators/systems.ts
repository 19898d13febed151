import type { Asked, Reply, System } from './system';
import { SystemState } from './state';

/** A member as the register keeps it. */
export interface Member {
  code: string;
  name: string;
  contact: { name: string; email: string; phone: string };
  version: number;
}

/** The Member Register: contact data of ensembles by member code, with versions, and notes. */
export function memberRegister(known: readonly Member[]): System {
  const members = new Map(known.map((member) => [member.code, member]));
  const state = new SystemState('Member Register');
  const answer = (asked: Asked): Reply => {
    const [what, code] = asked.path;
    if (what === 'notes' && asked.method === 'POST') return writeOnce(state, asked);
    if (what !== 'members') return { status: 404, body: { message: 'not found' } };
    if (code === undefined) return list(members, asked.query);
    const member = members.get(code);
    if (!member) return { status: 404, body: { message: 'no such member' } };
    if (asked.method === 'PUT') return put(members, member, asked);
    return { status: 200, body: member, headers: { etag: `"${member.version}"` } };
  };
  return {
    name: 'register',
    state,
    answer,
    alters: { label: 'Another person changes the phone of member', example: 'VTW-217' },
    alter: (code) => {
      const member = members.get(code);
      if (!member) return;
      const version = member.version + 1;
      const phone = `555-01${String((version * 7) % 100).padStart(2, '0')}`;
      members.set(code, { ...member, contact: { ...member.contact, phone }, version });
    },
    shows: () =>
      [...members.values()]
        .filter(({ version }) => version > 1)
        .map(({ code, contact, version }) => `${code}: ${contact.phone}, version ${version}`),
  };
}

/** The Valuation Desk: an insured value from type, maker and size, always the same for the same. */
export function valuationDesk(): System {
  const state = new SystemState('Valuation Desk');
  const answer = ({ path, query }: Asked): Reply => {
    if (path[0] !== 'valuations') return { status: 404, body: { message: 'not found' } };
    const [type, maker, size] = ['type', 'maker', 'size'].map((name) => query.get(name) ?? '');
    if (type === '') return { status: 400, body: { message: 'type is missing' } };
    const value = 400 + (hashOf(`${type} ${maker} ${size}`) % 96_000) / 10;
    return {
      status: 200,
      body: { type, maker, value: value.toFixed(2), currency: 'EUR', grade: 'A' },
    };
  };
  return { name: 'valuation', state, answer };
}

/** A write is taken once for each idempotency key; a repeated one gets the first answer. */
function writeOnce(state: SystemState, { headers, body }: Asked): Reply {
  const key = String(headers['idempotency-key'] ?? '');
  if (key === '') return { status: 400, body: { message: 'an idempotency key is missing' } };
  const known = state.written.get(key);
  if (known === undefined) state.written.set(key, body);
  return { status: known === undefined ? 201 : 200, body: { taken: true } };
}

function list(members: ReadonlyMap<string, Member>, query: URLSearchParams): Reply {
  const search = (query.get('search') ?? '').toLowerCase();
  const found = [...members.values()].filter(({ code, name }) =>
    `${name} ${code}`.toLowerCase().includes(search),
  );
  const limit = Math.min(200, Number(query.get('limit') ?? 50) || 50);
  const offset = Math.max(0, Number(query.get('offset') ?? 0) || 0);
  return { status: 200, body: { items: found.slice(offset, offset + limit), total: found.length } };
}

/** Changes a member whose version the writer has seen: 428 without it, 412 where it is another now. */
function put(members: Map<string, Member>, member: Member, { headers, body }: Asked): Reply {
  const seen = headers['if-match'];
  if (seen === undefined)
    return { status: 428, body: { message: 'say which version you have seen' } };
  if (seen !== `"${member.version}"`) {
    return { status: 412, body: member, headers: { etag: `"${member.version}"` } };
  }
  const given = (body ?? {}) as { contact?: Partial<Member['contact']> };
  const changed = {
    ...member,
    contact: { ...member.contact, ...given.contact },
    version: member.version + 1,
  };
  members.set(member.code, changed);
  return { status: 200, body: changed, headers: { etag: `"${changed.version}"` } };
}

/** FNV-1a, 32 bits. */
function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (const sign of text) hash = Math.imul(hash ^ (sign.codePointAt(0) ?? 0), 0x01000193) >>> 0;
  return hash;
}
