import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Switches, SystemState } from './state';

/** What a simulated system answers. */
export interface Reply {
  status: number;
  body: unknown;
  headers?: Record<string, string>;
}

/** A request as a system sees it. */
export interface Asked {
  method: string;
  /** Parts of the path below the system's own, decoded. */
  path: string[];
  query: URLSearchParams;
  headers: IncomingMessage['headers'];
  body: unknown;
}

/** A simulated system below a path: what it answers, and its state. */
export interface System {
  name: string;
  state: SystemState;
  /** What it answers over HTTP; without it, it is asked in another way. */
  answer?: (asked: Asked) => Reply;
  /** Answers by itself, as a part of its own does that speaks a protocol; `address` is that of all simulators. */
  serves?: (
    request: IncomingMessage,
    response: ServerResponse,
    about: { address: string; body: () => Promise<URLSearchParams> },
  ) => Promise<void>;
  /** How a record can be changed as another person would, by hand: what is asked for. */
  alters?: { label: string; example: string };
  alter?: (which: string) => void | Promise<void>;
  /** Has its switches take effect, where answering does not. */
  applies?: (switches: Switches) => Promise<void>;
  /** Its newest records, a line each. */
  shows?: () => string[] | Promise<string[]>;
}
