import { z } from 'zod';
import { allowedHosts, allowHosts } from '$lib/server/outside/hosts';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

const hostsSchema = z.strictObject({
  hosts: z
    .array(
      z
        .string()
        .max(260)
        .regex(/^[a-z0-9.-]+(:\d{1,5})?$/i, 'a host, with its port if you like'),
    )
    .max(100),
});

export const GET = answering(async () => ({ hosts: await allowedHosts(await readyDatabase()) }));

export const PUT = answering(async ({ request }) => {
  const { hosts } = await readBody(request, hostsSchema);
  const db = await readyDatabase();
  await allowHosts(db, hosts);
  return { hosts: await allowedHosts(db) };
});
