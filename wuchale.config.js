import { adapter as svelte } from '@wuchale/svelte';
import { defineConfig } from 'wuchale';
import { adapter as scripts } from 'wuchale/adapter-vanilla';

/** Attributes of elements and parts that people read or hear. */
const readAloud = new Set([
  'aria-label',
  'title',
  'placeholder',
  'label',
  'alt',
  'word',
  'add',
  'another',
  'which',
  'what',
]);
const notWords = new Set(['kbd', 'code', 'style', 'script', 'path']);

/** What is a message: text of the page, what is read aloud, and what scripts `say`. */
function heuristic({ msgStr, details }) {
  const text = msgStr.join(' ');
  if (!/\p{L}/u.test(text) || notWords.has(details.element)) return false;
  if (details.scope === 'markup') return 'message';
  if (details.scope === 'attribute') return readAloud.has(details.attribute) && 'message';
  const problems = details.file.endsWith('core/problems.ts') && details.funcName !== undefined;
  return (problems || details.call === 'say') && 'message';
}

/**
 * The language is the same as long as a page lives, and words stand in tables of modules too: they are asked for where
 * they are said.
 */
function asking(key) {
  const asked = { wrapInit: (expr) => expr, wrapUse: () => `_w_load_('${key}')` };
  return { initReactive: () => null, useReactive: false, plain: asked, reactive: asked };
}

const patterns = [{ name: 'plural', args: ['other', 'message', 'pluralFunc'] }];

export default defineConfig({
  locales: ['en', 'de', 'fr'],
  // A test extracts the words anew, into a folder of its own.
  localesDir: process.env.UNISOR_LOCALES ?? 'src/locales',
  logLevel: 'error',
  ai: null,
  adapters: {
    pages: svelte({
      files: ['src/**/*.svelte'],
      loader: 'custom',
      heuristic,
      patterns,
      runtime: asking('pages'),
    }),
    scripts: scripts({
      files: { include: ['src/**/*.ts'], ignore: ['src/**/*.test.ts', '**/*.d.ts'] },
      loader: 'custom',
      heuristic,
      patterns,
      runtime: asking('scripts'),
    }),
  },
});
