/** A part of a run. */
export interface Part {
  exited: Promise<unknown>;
  stop(): Promise<unknown>;
}
export function supervise<P extends Part>(
  name: string,
  start: () => Promise<P>,
  options?: { say?: (words: string) => void; pause?: (milliseconds: number) => Promise<unknown> },
): Promise<{ part(): P; stop(): Promise<void>; watching: Promise<void> }>;
