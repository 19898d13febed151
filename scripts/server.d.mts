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
/** Running simulators: where they answer over HTTP, and where they take e-mail. */
export interface OwnSimulators {
  address: string;
  mail: string;
  ports: number[];
  stop(): Promise<void>;
  exited: Promise<unknown>;
}
export function startSimulators(
  url: string,
  options?: { ports?: number[]; dev?: boolean },
): Promise<OwnSimulators>;
export function keptSecret(folder: string): string;
/** What the server is told of the simulators. */
export function simulated(simulators: { address: string; mail: string }): Record<string, string>;
