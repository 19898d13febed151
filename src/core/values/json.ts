/** JSON from outside may be nested so deep; nothing that the product reads is deeper than a fraction of it. */
export const deepestJson = 100;

/**
 * Reads JSON that came from outside. Throws a `SyntaxError` where it is none, is nested without end, or holds
 * a text that is no text (a lone surrogate, RFC 8259 §8.2), which no database would take.
 */
export function parseOutsideJson(text: string): unknown {
  if (depthOf(text) > deepestJson) throw new SyntaxError('nested too deep');
  const value: unknown = JSON.parse(text);
  if (/\\u[dD][89a-fA-F]/.test(text) && !isWellFormed(value)) {
    throw new SyntaxError('holds a text with half a character');
  }
  return value;
}

/** How deep lists and objects stand in one another. */
function depthOf(text: string): number {
  let [depth, deepest] = [0, 0];
  let within = false;
  for (let i = 0; i < text.length; i++) {
    const sign = text[i];
    if (within) {
      if (sign === '\\') i++;
      else if (sign === '"') within = false;
    } else if (sign === '"') within = true;
    else if (sign === '[' || sign === '{') deepest = Math.max(deepest, ++depth);
    else if (sign === ']' || sign === '}') depth--;
  }
  return deepest;
}

function isWellFormed(value: unknown): boolean {
  if (typeof value === 'string') return !/\p{Surrogate}/u.test(value);
  if (Array.isArray(value)) return value.every(isWellFormed);
  if (typeof value !== 'object' || value === null) return true;
  return Object.entries(value).every(([key, held]) => isWellFormed(key) && isWellFormed(held));
}
