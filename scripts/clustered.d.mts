import type { OwnServer } from './server.mjs';

/** A part that runs until it is stopped. */
export interface Part {
  exited: Promise<unknown>;
  stop(signal?: string): Promise<void>;
}
/** Three database nodes, each named by its number from 0. */
export interface Cluster {
  plan: { nodes: { name: string; port: number; talk: number }[]; replica: string };
  /** The file with the certificate by which nodes are known. */
  authority: string;
  urlOf(i: number): string;
  /** As an account that may do everything. */
  simulatorsUrlAt(port: number): string;
  pidOf(i: number): number | undefined;
  start(): Promise<void>;
  startNode(i: number): Promise<Part>;
  end(i: number, signal?: string): Promise<void>;
  freeze(i: number, frozen?: boolean): void;
  stop(): Promise<void>;
}
/** A clustered house on loopback; the balancer and the processes are started by its user. */
export interface Clustered {
  address: string;
  url: string;
  cluster: Cluster;
  processes: number[];
  balance(): Promise<Part & { pid: number }>;
  serve(i: number, more?: Record<string, string>): Promise<OwnServer>;
}
export function clusteredHouse(
  folder: string,
  options?: { port?: number; pool?: number; log?: string; output?: 'inherit' | 'ignore' },
): Promise<Clustered>;
