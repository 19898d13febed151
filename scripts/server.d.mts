/** The built server as a child process. */
export interface OwnServer {
  address: string;
  pid: number;
  stop(signal?: string): Promise<void>;
  exited: Promise<unknown>;
}
export function startServer(options: {
  url: string;
  port: number;
  schema?: string;
  log?: string;
  output?: 'inherit' | 'ignore';
  env?: Record<string, string>;
}): Promise<OwnServer>;
export function isFree(port: number): Promise<boolean>;
export function startSimulators(
  url: string,
  port?: number,
): Promise<{ address: string; port: number; stop(): Promise<void>; exited: Promise<unknown> }>;
export function keptSecret(folder: string): string;
/** What the server is told of the organisation's sign-in that is simulated at an address. */
export function simulatedOrganisation(address: string): Record<string, string>;
