import createKnex, { type Knex } from 'knex';
import { demoMembers } from './members';
import { councilMembers } from './people';
import { identityDesk } from '../simulators/identity';
import { catchMail } from '../simulators/mail';
import { serveSystems } from '../simulators/server';
import { memberRegister, valuationDesk } from '../simulators/systems';
import { repairWorkshop } from '../simulators/workshop';

// Runs the simulators until it is told to stop. Its arguments are its ports on 127.0.0.1, for HTTP and for e-mail; the database
// in which the workshop stands is told by UNISOR_DATABASE_URL.
const url = process.env.UNISOR_DATABASE_URL;
let knex: Knex | null = null;
function open(): Knex {
  if (!url) throw new Error('UNISOR_DATABASE_URL does not say where its database is.');
  const connection = { uri: url, dateStrings: true };
  return (knex ??= createKnex({ client: 'mysql2', connection, pool: { min: 0, max: 2 } }));
}

const valuation = valuationDesk();
// A desk with people at it: it takes its time, and now and then it is closed.
valuation.state.switches = { trouble: 'error 500', slow: 600, share: 15 };
const client = {
  id: 'unisor',
  // The start command tells it the server, too.
  secret: process.env.UNISOR_OIDC_SECRET ?? 'nobody else has this',
};
const identity = identityDesk(councilMembers(), client);
const [port = 0, mailPort = 0] = process.argv.slice(2).map(Number);
const mail = await catchMail(mailPort);
const systems = [mail, identity, memberRegister(demoMembers()), valuation, repairWorkshop(open)];
const simulators = await serveSystems(systems, port);
console.log(`E-mail is taken at ${mail.address}`);
console.log(`The simulators are at ${simulators.address}`);
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => void stop().then(() => process.exit(0)));
}

async function stop(): Promise<void> {
  await simulators.stop();
  await mail.stop();
  await knex?.destroy();
}
