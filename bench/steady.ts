import { setTimeout as sleep } from 'node:timers/promises';
import type { Connection } from 'mysql2/promise';
import { lending } from './lending';
import { asKeeper } from './measure';

/** So long it lasts, unless `UNISOR_STEADY` says otherwise. Seconds. */
const lasting = Number(process.env.UNISOR_STEADY ?? 120);
const clients = 6;
const words = ['lantern', 'rain', 'th', 'quist waltz', 'SC-1', 'zebra', 'hymn of', 'a'];

/**
 * Whether the server keeps anything: its memory at the end of a long load, against that when it had warmed up. An
 * hour of it: `UNISOR_STEADY=3600`.
 */
export async function steady(bench: { address: string; connection: Connection }): Promise<void> {
  const { address } = bench;
  const { save } = await lending(bench);
  const look = async (path: string) => {
    const response = await fetch(`${address}${path}`, { headers: asKeeper() });
    await response.text();
    if (response.status >= 500) throw new Error(`${path}: ${response.status}`);
  };
  let turn = 0;
  let done = 0;
  const steps: (() => Promise<unknown>)[] = [
    save,
    () => look(`/tables/score?search=${encodeURIComponent(words[turn++ % words.length] ?? '')}`),
    () => look('/'),
    () => look(`/api/find?search=${encodeURIComponent(words[turn++ % words.length] ?? '')}`),
    () => look(`/tables/loan/records/${1 + (turn++ % 1000)}`),
    () => look(`/api/forms/lend_music/records/${1 + (turn++ % 1000)}`),
    () => look('/forms/lend_music/design'),
    () => look('/activity'),
  ];
  const end = performance.now() + lasting * 1000;
  const client = async (first: number) => {
    for (let i = first; performance.now() < end; i++, done++) await steps[i % steps.length]?.();
  };
  const sampled: { heap: number; resident: number }[] = [];
  const sampling = async () => {
    while (performance.now() < end) {
      sampled.push(await memoryOf(address));
      await sleep(250);
    }
  };
  await Promise.all([sampling(), ...Array.from({ length: clients }, (_, i) => client(i))]);
  // What is left after a collection is what is kept: the least of a part.
  const part = (from: number, to: number) => {
    const some = sampled.slice(sampled.length * from, sampled.length * to);
    const least = (of: (one: (typeof some)[number]) => number) =>
      Math.min(...some.map(of)) / 2 ** 20;
    return { heap: least(({ heap }) => heap), resident: least(({ resident }) => resident) };
  };
  const [early, late] = [part(0.3, 0.4), part(0.9, 1)];
  const mb = (n: number) => `${n.toFixed(0)} MB`;
  console.log(
    `bench steady: ratio ${(late.heap / early.heap).toFixed(2)} (heap ${mb(late.heap)}, early ${mb(early.heap)}; resident ${mb(late.resident)}, early ${mb(early.resident)}; ${done} requests in ${lasting} s, ${clients} clients; aim 1.1)`,
  );
}

async function memoryOf(address: string): Promise<{ heap: number; resident: number }> {
  const response = await fetch(`${address}/api/metrics`, { headers: asKeeper() });
  const text = await response.text();
  const of = (name: string) => Number(new RegExp(`^${name} (\\S+)$`, 'm').exec(text)?.[1]);
  return {
    heap: of('unisor_nodejs_heap_size_used_bytes'),
    resident: of('unisor_process_resident_memory_bytes'),
  };
}
