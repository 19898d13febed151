import { del, get, set } from 'idb-keyval';
import type { Beginning, TypedText } from '$lib/core/entry/entry';

/** What was typed into a form and not saved yet, as it is kept in this browser. */
export interface KeptDraft {
  values: NonNullable<Beginning['values']>;
  /** The fields that a person has set. */
  own?: readonly string[];
  /** The rows of its grids. */
  rows?: Beginning['rows'];
  /** Texts that could not be read. */
  texts: readonly TypedText[];
  /** Goes with every try to save, so that a retry after a reload writes once. */
  submission: string;
  edition: number;
  /** Milliseconds since 1970. */
  at: number;
}

/** Reads the kept draft of a form; `null` where there is none, or the browser keeps nothing. */
export async function readKept(form: string): Promise<KeptDraft | null> {
  try {
    const kept = await get<KeptDraft>(name(form));
    return kept ? { ...kept, texts: kept.texts ?? [] } : null;
  } catch {
    return null;
  }
}

/** Keeps a draft; gives whether the browser could. */
export async function keep(form: string, draft: KeptDraft): Promise<boolean> {
  try {
    await set(name(form), draft);
    return true;
  } catch {
    return false;
  }
}

/** Forgets the draft of a form. */
export async function forget(form: string): Promise<void> {
  try {
    await del(name(form));
  } catch {
    // Where nothing can be kept there is nothing to forget.
  }
}

function name(form: string): string {
  return `unisor:draft:${form}`;
}
