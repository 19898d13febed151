import { createConnection } from 'mysql2/promise';
import { endDatabase, openDatabase } from '../src/server/database/connection';
import { keeperCookie } from '../tests/support/keeper';
import { clerks } from './clerks';
import { design } from './design';
import { engine } from './engine';
import { growing } from './growing';
import { growth } from './growth';
import { imports } from './imports';
import { keeping } from './keeping';
import { questions } from './questions';
import { outside } from './outside';
import { reads } from './reads';
import { rights } from './rights';
import { saves } from './saves';
import { screen } from './screen';
import { searching } from './searching';
import { size } from './size';
import { steady } from './steady';

const benches = {
  engine,
  growth,
  growing,
  design,
  reads,
  saves,
  clerks,
  outside,
  imports,
  keeping,
  screen,
  searching,
  size,
  steady,
  rights,
  questions,
};
/** Those that are run on the large demo. */
const onLarge = ['searching', 'size', 'saves', 'clerks', 'imports'];
const large = process.env.UNISOR_BENCH_LARGE === '1';
const wanted = process.argv[2];
const { UNISOR_ADDRESS: address, UNISOR_DATABASE_URL: url } = process.env;
if (!address || !url) throw new Error('Start with npm run bench.');

const chosen = Object.entries(benches).filter(([name]) =>
  wanted === undefined ? !large || onLarge.includes(name) : name === wanted,
);
if (chosen.length === 0) {
  throw new Error(`No benchmark ${wanted}; there are ${Object.keys(benches).join(', ')}.`);
}
// Who measures is signed in like anybody else.
const db = openDatabase(url);
process.env.UNISOR_COOKIE = await keeperCookie(db);
await endDatabase(db);
const connection = await createConnection({ uri: url });
try {
  for (const [, bench] of chosen) await bench({ address, connection, url });
} finally {
  await connection.end();
}
