import { collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';
import { backupState } from './backups';
import { lyingAbout } from './figures';

/** What this process counts of itself, and what it reads of the house when it is asked. */
const registry = new Registry();
collectDefaultMetrics({ register: registry, prefix: 'unisor_' });

const answered = new Histogram({
  name: 'unisor_request_seconds',
  help: 'How long answers took, by the pattern of the address.',
  labelNames: ['method', 'route', 'status'],
  buckets: [0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10],
  registers: [registry],
});

const gauge = (name: string, help: string) =>
  new Gauge({ name: `unisor_${name}`, help, registers: [registry] });

const gauges = {
  waiting: gauge('outbox_waiting', 'What waits to be sent to systems outside.'),
  failed: gauge('outbox_failed', 'What could not be sent and is not tried again by itself.'),
  failing: gauge('outside_failing', 'Connections of which a request failed within a day.'),
  drafts: gauge('drafts_lying', 'Drafts that nobody has touched for a week, up to 50.'),
  people: gauge('people', 'Accounts.'),
  worry: gauge(
    'backup_worry',
    '1 where the last backup failed or is older than the schedule says.',
  ),
  since: gauge('backup_seconds', 'Seconds since the last good backup; none where there is none.'),
  saves: gauge(
    'journal_newest',
    'The newest number in the journal: it grows with each change of a record.',
  ),
};

/** Notes how long an answer took. `route` is its pattern: what stands in addresses is never a label. */
export function noteAnswer(
  { method, route, status }: { method: string; route: string | null; status: number },
  milliseconds: number,
): void {
  if (route === null) return;
  answered.observe({ method, route, status: String(status) }, milliseconds / 1000);
}

/** All of it as Prometheus reads it (text exposition format), with its media type. */
export async function metricsText(
  db: Database,
  now = new Date(),
): Promise<{ text: string; type: string }> {
  const [lying, backup, [saves]] = await Promise.all([
    lyingAbout(db),
    backupState(db, now),
    rowsOf(db.knex, `select max(id) as n from \`${db.catalog}\`.journal`),
  ]);
  gauges.waiting.set(lying.waiting);
  gauges.failed.set(lying.failed);
  gauges.failing.set(lying.failing.length);
  gauges.drafts.set(lying.drafts.length);
  gauges.people.set(lying.people);
  gauges.worry.set(backup.worry === null ? 0 : 1);
  if (backup.lastGood === null) gauges.since.remove();
  else gauges.since.set((now.getTime() - Date.parse(backup.lastGood)) / 1000);
  gauges.saves.set(Number(saves?.n ?? 0));
  return { text: await registry.metrics(), type: registry.contentType };
}
