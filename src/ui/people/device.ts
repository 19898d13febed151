import { say } from '$lib/core/words/say';

const browsers = ['Edg', 'OPR', 'Firefox', 'Chrome', 'Safari'] as const;
const systems = ['Windows', 'Android', 'iPhone', 'iPad', 'Macintosh', 'Linux'] as const;
const called: Partial<Record<string, string>> = { Edg: 'Edge', OPR: 'Opera', Macintosh: 'macOS' };

/** A browser in a few words, from what it says of itself: `Firefox on Linux`. */
export function deviceOf(agent: string): string {
  const found = (names: readonly string[]) => names.find((name) => agent.includes(name));
  const [browser, system] = [found(browsers), found(systems)];
  if (!browser) return say('unknown browser');
  const name = called[browser] ?? browser;
  return system ? say(`${name} on ${called[system] ?? system}`) : name;
}
