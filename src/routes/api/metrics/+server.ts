import { metricsText } from '$lib/server/keeping/metrics';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Figures for machines, in the text exposition format of Prometheus. */
export const GET = answering(async () => {
  const { text, type } = await metricsText(await readyDatabase());
  return new Response(text, { headers: { 'content-type': type, 'cache-control': 'no-store' } });
});
