/** A time in UTC (`2027-03-01T14:30:00Z`) as a datetime-local input takes it, in the reader's zone. */
export function localDateTime(utc: string): string {
  const at = new Date(utc);
  if (Number.isNaN(at.getTime())) return '';
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

/** What a datetime-local input gives, as a canonical time in UTC; `null` where it is empty. */
export function utcDateTime(local: string): string | null {
  const at = new Date(local);
  if (local === '' || Number.isNaN(at.getTime())) return null;
  return at.toISOString().replace(/\.\d{3}Z$/, 'Z');
}

/** How long ago a moment was, in a few words. */
export function agoWords(at: string, now = Date.now()): string {
  const seconds = Math.max(0, Math.round((now - Date.parse(at)) / 1000));
  if (seconds < 60) return 'just now';
  if (seconds < 3600) return `${Math.round(seconds / 60)} min ago`;
  if (seconds < 86_400) return `${Math.round(seconds / 3600)} h ago`;
  return `${Math.round(seconds / 86_400)} d ago`;
}
