/** A running MariaDB on loopback. */
export interface OwnMariadb {
  url: string;
  port: number;
  pid: number;
  stop(): Promise<void>;
  exited: Promise<unknown>;
}
/** What a database may take: MB of its buffer pool, and of its redo log. */
export interface FittingDatabase {
  pool: number;
  log: number;
}
export function fittingDatabase(total?: number, free?: number): FittingDatabase;
export function startMariadb(
  folder: string,
  options?: { port?: number; logs?: boolean; fits?: FittingDatabase; more?: string[] },
): Promise<OwnMariadb>;
export function logsOf(folder: string): string;
export function databaseOf(
  folder: string,
): Promise<{ url: string; serves: boolean; stop(): Promise<void> }>;
export function hasMariadb(): boolean;
export function freePort(): Promise<number>;
export function livesWith(pid: number, word: string): boolean;
export function readRun(folder: string): { database?: number; server?: number; owner?: number };
export function noteRun(folder: string, more: object): void;
export function stopOrphans(folder: string): Promise<void>;
