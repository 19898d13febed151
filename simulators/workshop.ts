import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import type { System } from './system';
import { SystemState } from './state';

/** The schema of the workshop, and the user that may only read it. */
export const workshop = { database: 'unisor_workshop', user: 'workshop_reader' };
const host = '127.0.0.1';

/**
 * The Repair Workshop: a schema of its own with bookings by asset number, asked in SQL. `open` gives a way
 * into its database, for its page.
 */
export function repairWorkshop(open: () => Knex): System {
  const state = new SystemState('Repair Workshop', ['none', 'no answer']);
  return {
    name: 'workshop',
    state,
    alters: { label: 'Another person books asset', example: 'A-00007' },
    alter: async (asset) => {
      const [booked] = bookings().slice(-1);
      await bookingsIn(open()).insert({ ...booked, asset_number: asset.slice(0, 12) });
    },
    applies: async ({ trouble }) => {
      const closed = trouble === 'no answer' ? 'lock' : 'unlock';
      await open().raw(`alter user ?@? account ${closed}`, [workshop.user, host]);
      if (closed === 'lock') await hangUp(open());
    },
    shows: async () => {
      const rows = await bookingsIn(open()).orderBy('id', 'desc').limit(8).select();
      return (rows as Record<string, unknown>[]).map(
        ({ id, asset_number, begins_on, work, state: booked }) =>
          `${String(id)}: ${String(asset_number)}, ${String(begins_on)}, ${String(work)}, ${String(booked)}`,
      );
    },
  };
}

/** Makes the workshop's schema with some bookings, and its user; gives the password, new each time. */
export async function makeWorkshop(knex: Knex): Promise<string> {
  const { database, user } = workshop;
  const password = randomBytes(18).toString('base64url');
  await knex.raw('create database if not exists ??', [database]);
  await knex.raw(
    `create table if not exists ??.booking (
      id int unsigned auto_increment primary key, asset_number varchar(12) not null,
      begins_on date not null, ends_on date not null, work varchar(80) not null,
      state varchar(20) not null, key (asset_number))`,
    [database],
  );
  await knex.raw('create user if not exists ?@? identified by ?', [user, host, password]);
  await knex.raw('alter user ?@? identified by ? account unlock', [user, host, password]);
  await knex.raw('grant select on ??.* to ?@?', [database, user, host]);
  const [[{ n }]] = await knex.raw('select count(*) as n from ??.booking', [database]);
  if (Number(n) === 0) await bookingsIn(knex).insert(bookings());
  return password;
}

function bookingsIn(knex: Knex) {
  return knex('booking').withSchema(workshop.database);
}

/** Ends the connections of the workshop's user: a locked account only keeps new ones out. */
async function hangUp(knex: Knex): Promise<void> {
  const [rows] = await knex.raw('select id from information_schema.processlist where user = ?', [
    workshop.user,
  ]);
  for (const { id } of rows as { id: number }[]) {
    await knex.raw('kill ?', [Number(id)]).catch(() => 'it has gone by itself');
  }
}

function bookings() {
  const works = ['new pads', 'crack glued', 'valve cleaned', 'bow rehaired', 'bell straightened'];
  const day = (n: number) => new Date(Date.UTC(2026, 0, 5 + n)).toISOString().slice(0, 10);
  return Array.from({ length: 120 }, (_, i) => ({
    asset_number: `A-${String(1 + ((i * 7) % 60)).padStart(5, '0')}`,
    begins_on: day(i * 3),
    ends_on: day(i * 3 + 2 + (i % 9)),
    work: works[i % works.length] ?? '',
    state: i < 100 ? 'done' : i < 110 ? 'in work' : 'booked',
  }));
}
