/** How a simulated system misbehaves, so that forms can be seen to go on without it. */
export const allTroubles = [
  'none',
  'error 500',
  'not found',
  'web page',
  'half an answer',
  'no answer',
  'large answer',
  'many rows',
  'other types',
  'elsewhere',
  'away',
  'refuses',
] as const;
/** Those of a system that answers over HTTP. */
const httpTroubles = allTroubles.filter((one) => one !== 'away' && one !== 'refuses');
export type Trouble = (typeof allTroubles)[number];

/** What a simulator is told by its switches. */
export interface Switches {
  trouble: Trouble;
  /** Milliseconds before each answer. */
  slow: number;
  /** How many of a hundred answers have the trouble; the others are sound. */
  share: number;
}

/** One request that a simulator has answered. */
export interface Served {
  at: string;
  method: string;
  path: string;
  status: number;
}

/** What is told of a simulator on its page. */
export class SystemState {
  switches: Switches = { trouble: 'none', slow: 0, share: 100 };
  readonly served: Served[] = [];
  /** Writes by their idempotency key, with the answer that each got. */
  readonly written = new Map<string, unknown>();
  #turn = 0;

  constructor(
    readonly title: string,
    /** How it can misbehave. */
    readonly troubles: readonly Trouble[] = httpTroubles,
  ) {}

  note(request: Served): void {
    this.served.unshift(request);
    this.served.length = Math.min(this.served.length, 50);
  }

  /** Whether the next answer has the trouble: so many of a hundred, evenly spread. */
  misbehaves(): boolean {
    if (this.switches.trouble === 'none') return false;
    const before = Math.floor((this.#turn * this.switches.share) / 100);
    this.#turn++;
    return Math.floor((this.#turn * this.switches.share) / 100) > before;
  }
}
