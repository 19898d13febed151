import { fileTypeFromBuffer } from 'file-type';
import { imageSize } from 'image-size';

/** The media type of what nothing is known of (RFC 2046, 4.5.1). */
const unknownType = 'application/octet-stream';

/** What a file is by its first bytes, whatever it calls itself; of texts, the name says which. */
export async function typeOfContent(head: Buffer, name: string): Promise<string> {
  const found = await fileTypeFromBuffer(head).catch(() => undefined);
  if (found) return found.mime.slice(0, 100);
  if (!isText(head)) return unknownType;
  if (/\.csv$/i.test(name)) return 'text/csv';
  return /\.tsv$/i.test(name) ? 'text/tab-separated-values' : 'text/plain';
}

/** Whether bytes are the beginning of a text in UTF-8. */
function isText(head: Buffer): boolean {
  try {
    // The last sign may be cut off.
    const text = new TextDecoder('utf-8', { fatal: true }).decode(head, { stream: true });
    return !/\p{Cc}/u.test(text.replace(/[\t\n\v\f\r]/g, ''));
  } catch {
    return false;
  }
}

/** Width and height of a picture in points, by its first bytes; `null` where they do not say. */
export function pointsOf(head: Buffer): { width: number; height: number } | null {
  try {
    const { width, height } = imageSize(head);
    return { width, height };
  } catch {
    return null;
  }
}
