/** A moment as the database holds it (`2026-03-01 10:00:00.000`, in UTC), as ISO 8601 writes it. */
export function momentOf(stored: unknown): string {
  return `${String(stored).replace(' ', 'T')}Z`;
}

/** A moment as the database takes it, to the millisecond. */
export function storedMoment(at: Date): string {
  return at.toISOString().slice(0, 23).replace('T', ' ');
}
