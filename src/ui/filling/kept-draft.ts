import { keptAnswer, nothingWanted } from '$lib/core/contract/answers';
import { del, get, set, update } from 'idb-keyval';
import { z } from 'zod';
import { rowStateSchema, stateShape } from '$lib/core/entry/filled';
import { keptSetsSchema } from '$lib/core/plan/asked-sheet';
import { openedSchema } from '$lib/core/entry/stored';
import { call } from '$lib/ui/shared/api';

/** What was typed into a form and not saved yet. */
const draftSchema = z.object({
  /** The whole state of the entry. */
  state: z.object({ ...stateShape, rows: z.record(z.string(), z.array(rowStateSchema)) }),
  /** Goes with every try to save, so that a retry after a reload writes once. */
  submission: z.string().min(1),
  edition: z.number().int(),
  /** The questions that are asked, by section. */
  sets: keptSetsSchema.optional(),
  /** The stored record as it was when it was opened; `null` for a new one. */
  base: openedSchema.nullable(),
  /** Milliseconds since 1970. */
  at: z.number(),
  /** When the server kept it last, on the server's clock; absent where it has not yet. */
  keptAt: z.number().optional(),
});
export type KeptDraft = z.infer<typeof draftSchema>;

/** A draft as the server keeps it. */
export interface ServerDraft {
  /** When it was kept, on the server's clock. */
  keptAt: number;
  at: number;
  content: Record<string, unknown>;
}

/** How long the server waits for the next change before it is told, in milliseconds. */
const pause = 1500;

/**
 * The draft of a form, or of one record in it. It is kept in this browser at once, and on the server a
 * moment later, so that it is found again on any machine. The newer one of both is the draft.
 */
export class DraftKeeper {
  readonly #name: string;
  readonly #address: string;
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor(form: string, record: number | null, carried = '') {
    this.#name = `unisor:draft:${form}${record === null ? carried : `#${record}`}`;
    const query = record === null ? carried : `record=${record}`;
    this.#address = `/api/forms/${form}/entry-draft${query === '' ? '' : `?${query}`}`;
  }

  /** The newer one of what the browser and the server keep; `null` where there is nothing. */
  async read(onServer: ServerDraft | null): Promise<KeptDraft | null> {
    const here = await this.#here();
    const there =
      onServer && (draftSchema.safeParse({ ...onServer.content, at: onServer.at }).data ?? null);
    if (!here || !there || !onServer) return here ?? there;
    // Clocks of screens are not compared: what the server got since it had this one is newer.
    return here.keptAt !== undefined && onServer.keptAt > here.keptAt ? there : here;
  }

  /** The draft that this browser keeps: what was written last, as the page went, may be newer than the rest. */
  async #here(): Promise<KeptDraft | null> {
    const kept = await quietly(() => get<unknown>(this.#name));
    const here = draftSchema.safeParse(kept).data ?? null;
    const last = await quietly(async () => {
      const text = localStorage.getItem(this.#name);
      localStorage.removeItem(this.#name);
      return draftSchema.safeParse(JSON.parse(text ?? 'null')).data ?? null;
    });
    if (!last || (here && here.at >= last.at)) return here;
    await quietly(() => set(this.#name, last));
    return last;
  }

  /** Keeps a draft; gives whether the browser could. */
  async keep(draft: KeptDraft, about: string): Promise<boolean> {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.#send(draft, about), pause);
    const unsent = { ...draft, keptAt: undefined };
    return (await quietly(() => set(this.#name, unsent).then(() => true))) ?? false;
  }

  /** Keeps a draft at once, in the browser and on the server, while the page goes. */
  async flush(draft: KeptDraft, about: string): Promise<void> {
    clearTimeout(this.#timer);
    const { at, ...content } = { ...draft, keptAt: undefined };
    const body = JSON.stringify({ at, about: about.slice(0, 200), content });
    // A page that is left waits for nothing: this is written before it is gone, the rest may be.
    void quietly(async () => localStorage.setItem(this.#name, JSON.stringify({ at, ...content })));
    const kept = quietly(() => set(this.#name, { ...draft, keptAt: undefined }));
    // The request outlives the page; browsers take up to 64 kB of such.
    const sent = quietly(() =>
      fetch(this.#address, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body,
        keepalive: body.length < 60_000,
      }),
    );
    await Promise.all([kept, sent]);
  }

  /** Forgets the draft: it was saved, or given up. */
  async forget(): Promise<void> {
    clearTimeout(this.#timer);
    await quietly(async () => localStorage.removeItem(this.#name));
    await quietly(() => del(this.#name));
    // Where the server is away the draft stays there; it is older than what is kept next.
    await call(nothingWanted, this.#address, { method: 'DELETE' });
  }

  /** Stops sending; what is kept stays. */
  close(): void {
    clearTimeout(this.#timer);
  }

  async #send(draft: KeptDraft, about: string): Promise<void> {
    const { at, ...content } = { ...draft, keptAt: undefined };
    const body = { at, about: about.slice(0, 200), content };
    const called = await call(keptAnswer, this.#address, { method: 'PUT', body });
    if (!called.ok) return;
    const { keptAt } = called.value;
    // What was typed meanwhile is not known there yet.
    await quietly(() =>
      update<KeptDraft>(this.#name, (now) =>
        now && now.at === at ? { ...now, keptAt } : (now as KeptDraft),
      ),
    );
  }
}

/** Where the browser keeps nothing there is nothing to read and nothing to forget. */
async function quietly<T>(work: () => Promise<T>): Promise<T | null> {
  try {
    return await work();
  } catch {
    return null;
  }
}
