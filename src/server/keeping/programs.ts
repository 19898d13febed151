import { spawn, type ChildProcess } from 'node:child_process';
import type { Readable, Writable } from 'node:stream';
import { authorityOf } from '../database/connection';

/** Debian's programs for backups, each with the package in which it comes. */
export const programs = {
  'mariadb-dump': 'mariadb-client',
  mariadb: 'mariadb-client',
  'mariadb-binlog': 'mariadb-server-core',
  zstd: 'zstd',
} as const;
export type Program = keyof typeof programs;

/** A program that runs: what it reads, what it says, and how it ends. */
export interface Running {
  in: Writable;
  out: Readable;
  /** Fails with the last words of the program where it did not end well. */
  ended: Promise<void>;
  kill: () => void;
}

/** So much of what a program complains of is told. */
const mostWords = 2000;

/** Runs a program. Passwords go by its environment, where nobody else sees them. */
export function run(program: Program, args: readonly string[], password = ''): Running {
  const child = spawn(program, args, {
    stdio: ['pipe', 'pipe', 'pipe'],
    env: { ...process.env, MYSQL_PWD: password, TZ: 'UTC' },
  });
  const ended = endOf(program, child);
  // What goes wrong is told by its end; whoever writes to it after that is not told twice.
  child.stdin.on('error', () => undefined);
  ended.catch(() => undefined);
  return { in: child.stdin, out: child.stdout, ended, kill: () => child.kill('SIGTERM') };
}

function endOf(program: Program, child: ChildProcess): Promise<void> {
  let words = '';
  child.stderr?.on('data', (chunk: Buffer) => {
    words = (words + chunk.toString('utf8')).slice(-mostWords);
  });
  return new Promise((done, fail) => {
    child.once('error', (error: NodeJS.ErrnoException) => {
      const missing = `${program} is not installed (Debian's package ${programs[program]}).`;
      fail(error.code === 'ENOENT' ? new Error(missing) : error);
    });
    child.once('close', (code, signal) => {
      if (code === 0) done();
      else fail(new Error(`${program} ended with ${code ?? signal}: ${words.trim()}`));
    });
  });
}

/** How the client programs of MariaDB reach the server of a URL. */
export function reaching(url: string): { args: string[]; password: string } {
  const at = new URL(url);
  const ca = authorityOf(url);
  return {
    args: [
      '--no-defaults',
      `--host=${at.hostname}`,
      `--port=${at.port || '3306'}`,
      '--protocol=tcp',
      `--user=${decodeURIComponent(at.username)}`,
      ...(ca === null ? [] : [`--ssl-ca=${ca}`]),
    ],
    password: decodeURIComponent(at.password),
  };
}
