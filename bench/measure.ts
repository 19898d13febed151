/** The header of a request by whoever measures. */
export function asKeeper(): { cookie: string } {
  return { cookie: process.env.UNISOR_COOKIE ?? '' };
}

/** Posts JSON as whoever measures. */
export function post(address: string, path: string, body: object): Promise<Response> {
  return fetch(address + path, {
    method: 'POST',
    headers: { ...asKeeper(), origin: address, 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
}

/** What a benchmark compares: the same work done by us and by a reference, in one run. */
export interface Comparison {
  name: string;
  /** Sizes, in words. */
  sizes: string;
  runs: number;
  /** How often both are run before anything is measured. */
  warm?: number;
  ours: () => Promise<unknown>;
  reference: () => Promise<unknown>;
  /** A request that does nothing, where ours is one: what no work in it could save. */
  empty?: () => Promise<unknown>;
}

/** Runs both in turn, after a warm-up of each, and prints one line with medians and their ratio. */
export async function compare({
  name,
  sizes,
  runs,
  warm = runs >= 100 ? 100 : 1,
  ours,
  reference,
  empty,
}: Comparison): Promise<void> {
  // A server is measured warm: its code compiled, its connections open.
  for (let i = 0; i < warm; i++) {
    await reference();
    await ours();
    await empty?.();
  }
  const times = { ours: [] as number[], reference: [] as number[], empty: [] as number[] };
  for (let i = 0; i < runs; i++) {
    times.reference.push(await timed(reference));
    times.ours.push(await timed(ours));
    if (empty) times.empty.push(await timed(empty));
  }
  const [a, b] = [median(times.ours), median(times.reference)];
  const ms = (n: number) => `${n.toFixed(n < 100 ? 2 : 0)} ms`;
  const nothing = empty ? `, an empty request ${ms(median(times.empty))}` : '';
  console.log(
    `bench ${name}: ratio ${(a / b).toFixed(a / b < 0.1 ? 4 : 2)} (ours ${ms(a)}, reference ${ms(b)}${nothing}; ${sizes}, n=${runs})`,
  );
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return performance.now() - began;
}

function median(values: number[]): number {
  const sorted = [...values].sort((x, y) => x - y);
  return sorted[Math.floor(sorted.length / 2)] ?? Number.NaN;
}

/** The value under which 95 of 100 lie. */
export function at95(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length * 0.95)] ?? Number.NaN;
}
