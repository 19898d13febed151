import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import type { TestProject } from 'vitest/node';
import { startMariadb } from '../../scripts/mariadb.mjs';

declare module 'vitest' {
  interface ProvidedContext {
    databaseUrl: string;
  }
}

/** A MariaDB of the tests' own: its folder, its port; gone afterwards. */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-test-'));
  const server = await startMariadb(folder);
  project.provide('databaseUrl', server.url);
  return async () => {
    await server.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  };
}
