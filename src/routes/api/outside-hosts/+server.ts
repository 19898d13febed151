import { hostsRequest } from '$lib/core/contract/requests';
import { allowedHosts, allowHosts } from '$lib/server/outside/hosts';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => ({ hosts: await allowedHosts(await readyDatabase()) }));

export const PUT = answering(async ({ request }) => {
  const { hosts } = await readBody(request, hostsRequest);
  const db = await readyDatabase();
  await allowHosts(db, hosts);
  return { hosts: await allowedHosts(db) };
});
