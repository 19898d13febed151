/** JSON columns come as text or parsed, as the driver sees fit. */
export function parseJson(stored: unknown): unknown {
  return typeof stored === 'string' ? JSON.parse(stored) : stored;
}
