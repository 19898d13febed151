import { demoMembers } from '../demo/members';
import { serveSystems } from '../simulators/server';
import { memberRegister, valuationDesk } from '../simulators/systems';
import { querySchema } from '../src/core/outside/query';
import { plainField } from '../src/core/plan/draft';
import { makeForm, publishForm } from '../src/server/catalog/forms';
import { endDatabase, openDatabase } from '../src/server/database/connection';
import { keepConnection } from '../src/server/outside/connections';
import { allowedHosts, allowHosts } from '../src/server/outside/hosts';
import { keepQuery } from '../src/server/outside/queries';
import { asKeeper, compare } from './measure';

interface Bench {
  address: string;
  url: string;
}

interface Rolled {
  value?: string;
}

const text = { kind: 'text', format: 'plain', length: 255 } as const;
const slow = 40;

/** A form with three values read outside, against three requests straight to the systems. */
export async function outside({ address, url }: Bench): Promise<void> {
  const simulators = await serveSystems([memberRegister(demoMembers()), valuationDesk()]);
  const db = openDatabase(url);
  try {
    for (const { state } of simulators.systems.values()) state.switches.slow = slow;
    await allowHosts(db, [...(await allowedHosts(db)), new URL(simulators.address).host]);
    const asked = [
      { key: 'bench_name', system: 'register', path: 'members/{code}', column: 'name' },
      { key: 'bench_phone', system: 'register', path: 'members/{code}', column: 'contact.phone' },
      { key: 'bench_value', system: 'valuation', path: 'valuations?type={code}', column: 'value' },
    ];
    for (const system of ['register', 'valuation']) {
      const base = `${simulators.address}/${system}`;
      const reach = { kind: 'http' as const, base, headers: [], signIn: 'none' as const, user: '' };
      const named = { key: `bench_${system}`, title: system, note: '', reach };
      await keepConnection(db, named, undefined, 'bench', 'make');
    }
    for (const { key, system, path, column } of asked) {
      const parameters = [{ key: 'code', label: 'Code', type: text }];
      const columns = [{ key: 'v', label: 'V', path: column, type: text }];
      const query = { key, title: key, connection: `bench_${system}`, text: path, keeps: 0 };
      await keepQuery(db, querySchema.parse({ ...query, parameters, columns }), 'bench', 'make');
    }
    const given = [{ parameter: 'code', field: 'code', optional: false }];
    const fields = [
      { ...plainField('Code'), key: 'code' },
      ...asked.map(({ key }) => ({
        ...plainField(key),
        key,
        outside: { query: key, column: 'v', given },
        shows: 'line' as const,
      })),
      { ...plainField('Name'), key: 'name', savesTo: 'name', required: true },
    ];
    const section = { key: 'main', title: '', columns: 1 as const, fields, grid: null, page: null };
    const plan = { format: 1 as const, title: 'Bench', table: 'region', sections: [section] };
    const form = await makeForm(
      db,
      { key: 'bench_outside', table: 'region', plan: { ...plan, startsAt: null, writes: [] } },
      'bench',
    );
    await publishForm(db, form.key, form.revision, 'bench');
    const settled = async () => {
      const asks = asked.map(({ key }) => ({ id: key, kind: 'value', field: key }));
      const response = await fetch(`${address}/api/forms/bench_outside/read`, {
        method: 'POST',
        headers: {
          ...asKeeper(),
          origin: address,
          'content-type': 'application/json',
          accept: 'application/x-ndjson',
        },
        body: JSON.stringify({ edition: 1, values: { code: 'VTW-217' }, asks }),
      });
      const lines = (await response.text()).trim().split('\n');
      const answers = lines.flatMap((line) => (JSON.parse(line) as { answers: Rolled[] }).answers);
      if (answers.filter(({ value }) => value).length !== 3) throw new Error(lines.join());
    };
    const direct = async (path: string) => {
      await (await fetch(`${simulators.address}/${path}`)).json();
    };
    await compare({
      name: 'three-outside-values',
      sizes: `three systems that take ${slow} ms each, asked as a form does`,
      runs: 60,
      ours: settled,
      reference: () =>
        Promise.all(
          asked.map(({ system, path }) => direct(`${system}/${path.replace('{code}', 'VTW-217')}`)),
        ),
    });
  } finally {
    await endDatabase(db);
    await simulators.stop();
  }
}
