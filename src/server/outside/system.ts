import type { NamedConnection } from '$lib/core/outside/query';
import { fail, type ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { noteFailure, noteSuccess, pausedFor } from './breaker';
import { connectionToAsk } from './connections';
import { noteAsked } from './lately';
import { OutsideStatusError, told } from './told';

/** How an outside system is reached. */
export interface Reaching {
  /** The query that is asked; `null` where something is told, or only tried. */
  query: string | null;
  /** Milliseconds after which it is not waited for any more. */
  limit: number;
  /** Whether it may be reached a second time at once, where that may help: only for what changes nothing. */
  again: boolean;
}

/** A system while it is reached. */
export interface Reached {
  connection: NamedConnection;
  secret: string | null;
  /** The hosts that may be reached. */
  hosts: readonly string[];
  signal: AbortSignal;
  limit: number;
}

/** What a system gave. */
export interface Gave<T> {
  gave: T;
  /** How people know the system. */
  system: string;
  /** Milliseconds. */
  took: number;
}

/**
 * Reaches an outside system, and notes how it went. One that fails again and again is left alone for a
 * while. Fails with a problem that says which system, and why; nothing of a secret or an address is told.
 */
export async function reachSystem<T>(
  db: Database,
  tables: House,
  key: string,
  { query, limit, again }: Reaching,
  work: (reached: Reached) => Promise<T>,
): Promise<Gave<T>> {
  const { connection, secret, hosts } = await connectionToAsk(db, tables, key);
  const { title: system } = connection;
  const pause = pauseOf(db, key);
  if (pause > 0) fail('outside_paused', { system, seconds: Math.ceil(pause / 1000) }, 503);
  const name = nameOf(db, key);
  const began = performance.now();
  const took = () => Math.round(performance.now() - began);
  for (let tried = 1; ; tried++) {
    try {
      const signal = AbortSignal.timeout(limit);
      const gave = await work({ connection, secret, hosts, signal, limit });
      noteSuccess(name);
      noteAsked(db, { connection: key, query, took: took(), failed: null });
      return { gave, system, took: took() };
    } catch (error) {
      const found = told(error, system, limit);
      if (again && tried === 1 && mayHelp(found)) continue;
      if (isTheirs(found)) noteFailure(name);
      const failed = found.problems[0]?.message ?? '';
      noteAsked(db, { connection: key, query, took: took(), failed });
      throw found;
    }
  }
}

/** For how many milliseconds a system is left alone; 0 where it may be reached. */
export function pauseOf(db: Database, key: string): number {
  return pausedFor(nameOf(db, key));
}

/** Lets a system be reached at once, though it has failed: a person wants to see. */
export function endPause(db: Database, key: string): void {
  noteSuccess(nameOf(db, key));
}

function nameOf(db: Database, key: string): string {
  return `${db.name} ${key}`;
}

/** Whether asking a second time may help: not where it was too slow, or where the question is wrong. */
function mayHelp(error: ProblemError): boolean {
  if (error instanceof OutsideStatusError) return error.answered >= 500;
  return error.problems[0]?.code === 'outside_away';
}

/** Whether a failure is the system's own, not that of the question. */
function isTheirs(error: ProblemError): boolean {
  const code = error.problems[0]?.code;
  const own = ['outside_slow', 'outside_not_json'].includes(code ?? '');
  return own || (code === 'outside_refused' && error.status === 503) || mayHelp(error);
}
