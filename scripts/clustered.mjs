// All of a clustered house on loopback: three database nodes, haproxy, and processes of the built server.
import path from 'node:path';
import { startBalancer } from './balancer.mjs';
import { clusterOf } from './galera.mjs';
import { freePort } from './mariadb.mjs';
import { keptSecret, startServer } from './server.mjs';

/** So many processes serve people; deploy/haproxy.cfg names them. */
const processes = 3;

/**
 * The parts of a clustered house in a folder, none of them started: the nodes are with `cluster.start()`, then the
 * balancer with `balance()` and the processes with `serve(i)`. People reach the product at `address`, the processes the
 * written node at `url`.
 */
export async function clusteredHouse(folder, { port, pool, log = 'warn', output = 'ignore' } = {}) {
  const cluster = await clusterOf(path.join(folder, 'nodes'), { pool });
  const people = port ?? (await freePort());
  const database = await freePort();
  const ports = await Promise.all(Array.from({ length: processes }, freePort));
  const nodes = cluster.plan.nodes.map((node) => node.port);
  const balance = () => startBalancer(folder, { people, database, nodes, processes: ports });
  const address = `http://127.0.0.1:${people}`;
  const url = cluster.urlAt(database);
  const env = {
    ORIGIN: address,
    // Each under its own address as well: that is where it is asked whether it has started.
    UNISOR_ORIGINS: [address, ...ports.map((own) => `http://127.0.0.1:${own}`)].join(','),
    UNISOR_SECRET: keptSecret(folder),
  };
  return {
    ...{ address, url, cluster, balance },
    simulatorsUrl: cluster.simulatorsUrlAt(database),
    processes: [...ports.keys()],
    serve: (i, more = {}) =>
      startServer({ url, port: ports[i], log, output, env: { ...env, ...more } }),
  };
}
