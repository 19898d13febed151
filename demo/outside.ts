import type { z } from 'zod';
import { makeWorkshop, workshop } from '../simulators/workshop';
import {
  namedConnectionSchema,
  querySchema,
  type NamedConnection,
} from '../src/core/outside/query';
import type { Database } from '../src/server/database/connection';
import { keepConnection, listConnections } from '../src/server/outside/connections';
import { allowedHosts, allowHosts } from '../src/server/outside/hosts';
import { keepQuery, listQueries } from '../src/server/outside/queries';

const by = 'demo';
const text = { kind: 'text', format: 'plain', length: 255 } as const;
const date = { kind: 'date' } as const;

/** Where the simulators of the demo are, and the database in which the workshop's bookings stand. */
export interface OutsidePlaces {
  simulators: string;
  database: { host: string; port: number };
}

/** Connects the demo with its simulators: where they are is told anew at each start. */
export async function connectOutside(db: Database, places: OutsidePlaces): Promise<void> {
  const password = await makeWorkshop(db.knex).catch((error: Error) => {
    // A server of one's own may not let a user be made: the workshop is then away, and said to be.
    console.error(`  The Repair Workshop could not be set up: ${error.message}`);
    return '';
  });
  const { host, port } = places.database;
  const hosts = [new URL(places.simulators).host, `${host}:${port}`];
  const loopback = /^127\.0\.0\.1:/;
  const others = (await allowedHosts(db)).filter((one) => !loopback.test(one));
  await allowHosts(db, [...hosts, ...others]);
  const known = new Set((await listConnections(db)).map(({ key }) => key));
  for (const { secret, ...connection } of connections(places, password)) {
    const goal = known.has(connection.key) ? 'change' : 'make';
    await keepConnection(db, namedConnectionSchema.parse(connection), secret, by, goal);
  }
  const asked = new Set((await listQueries(db)).map(({ key }) => key));
  for (const query of queries) {
    if (!asked.has(query.key)) await keepQuery(db, querySchema.parse(query), by, 'make');
  }
}

function connections(
  { simulators, database: { host, port } }: OutsidePlaces,
  password: string,
): (NamedConnection & { secret?: string })[] {
  const http = (name: string) => ({
    kind: 'http' as const,
    base: `${simulators}/${name}`,
    headers: [],
    signIn: 'none' as const,
    user: '',
  });
  return [
    {
      key: 'member_register',
      title: 'Member Register',
      note: 'Contact data of ensembles by member code.',
      reach: http('register'),
    },
    {
      key: 'valuation_desk',
      title: 'Valuation Desk',
      note: 'What an instrument is worth.',
      reach: http('valuation'),
    },
    {
      key: 'repair_workshop',
      title: 'Repair Workshop',
      note: 'Bookings of instruments, read only.',
      reach: { kind: 'sql', host, port, ...workshop, writes: false },
      secret: password,
    },
  ];
}

const queries: z.input<typeof querySchema>[] = [
  {
    key: 'member_by_code',
    title: 'Member by code',
    connection: 'member_register',
    text: 'members/{code}',
    parameters: [{ key: 'code', label: 'Member code', type: text, example: 'VTW-217' }],
    columns: [
      { key: 'code', label: 'Member code', path: 'code', type: text },
      { key: 'name', label: 'Name', path: 'name', type: text },
      { key: 'contact', label: 'Contact', path: 'contact.name', type: text },
      { key: 'email', label: 'E-mail', path: 'contact.email', type: text },
      { key: 'phone', label: 'Phone', path: 'contact.phone', type: text },
      { key: 'version', label: 'Version', path: 'version', type: { kind: 'whole' } },
    ],
  },
  {
    key: 'find_members',
    title: 'Find members',
    connection: 'member_register',
    text: 'members?search={search}&offset={offset}&limit=50',
    parameters: [
      { key: 'search', label: 'Words', type: text, required: false, example: 'choir' },
      { key: 'offset', label: 'Members before', type: { kind: 'whole' }, required: false },
    ],
    searches: 'search',
    pages: { parameter: 'offset', by: 'rows', total: 'total' },
    rows: 'items',
    columns: [
      { key: 'code', label: 'Member code', path: 'code', type: text },
      { key: 'name', label: 'Name', path: 'name', type: text },
      { key: 'contact', label: 'Contact', path: 'contact.name', type: text },
      { key: 'email', label: 'E-mail', path: 'contact.email', type: text },
    ],
  },
  {
    key: 'valuation',
    title: 'Valuation',
    connection: 'valuation_desk',
    text: 'valuations?type={type}&maker={maker}&size={size}',
    limit: 3000,
    keeps: 600,
    parameters: [
      { key: 'type', label: 'Type', type: text, example: 'Violin' },
      { key: 'maker', label: 'Maker', type: text, required: false },
      { key: 'size', label: 'Size', type: text, required: false },
    ],
    columns: [
      {
        key: 'value',
        label: 'Value',
        path: 'value',
        type: { kind: 'decimal', precision: 10, scale: 2 },
      },
      { key: 'currency', label: 'Currency', path: 'currency', type: text },
    ],
  },
  {
    key: 'bookings',
    title: 'Bookings of an instrument',
    connection: 'repair_workshop',
    text: 'select id, begins_on, ends_on, work, state from booking where asset_number = {asset} order by begins_on desc',
    parameters: [{ key: 'asset', label: 'Asset number', type: text, example: 'A-00007' }],
    keeps: 0,
    columns: [
      { key: 'id', label: 'Booking', path: 'id', type: { kind: 'whole' } },
      { key: 'begins_on', label: 'From', path: 'begins_on', type: date },
      { key: 'ends_on', label: 'To', path: 'ends_on', type: date },
      { key: 'work', label: 'Work', path: 'work', type: text },
      { key: 'state', label: 'State', path: 'state', type: text },
    ],
  },
];
