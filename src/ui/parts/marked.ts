/** Cuts a text into parts, those that match a typed word at the beginning of a word marked. */
export function markedParts(text: string, typed: string): { text: string; marked: boolean }[] {
  const words = typed
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')
    .map((word) => word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'));
  if (words.length === 0) return [{ text, marked: false }];
  const pattern = new RegExp(`(?<![\\p{L}\\p{N}])(?:${words.join('|')})`, 'giu');
  const parts: { text: string; marked: boolean }[] = [];
  let at = 0;
  for (const match of text.matchAll(pattern)) {
    if (match.index > at) parts.push({ text: text.slice(at, match.index), marked: false });
    parts.push({ text: match[0], marked: true });
    at = match.index + match[0].length;
  }
  if (at < text.length) parts.push({ text: text.slice(at), marked: false });
  return parts;
}
