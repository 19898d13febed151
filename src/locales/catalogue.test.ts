import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parse, type AST } from 'svelte/compiler';
import { describe, expect, it } from 'vitest';

const folder = new URL('.', import.meta.url).pathname;
const src = join(folder, '..');

interface Message {
  id: string;
  words: string[];
}

/** The messages of a catalogue (gettext PO). */
function messagesOf(language: string, from = folder): Message[] {
  const text = readFileSync(join(from, `${language}.po`), 'utf8');
  const of = (name: string, block: string) =>
    [...block.matchAll(new RegExp(`^${name} "(.*)"$`, 'gm'))].map(([, words]) => words ?? '');
  return text
    .split(/\n\n+/)
    .map((block) => block.replace(/"\n"/g, ''))
    .flatMap((block) => {
      const [id = ''] = of('msgid', block);
      const several = of('msgid_plural', block);
      const words = of(String.raw`msgstr(?:\[\d\])?`, block);
      return id === '' ? [] : [{ id: [id, ...several].join(' ||| '), words }];
    });
}

/** What is filled in when a message is said: values by number, parts of the page by tags. */
const holes = (words: string) => (words.match(/\{\d+\}|<\/?\d+\/?>|#/g) ?? []).sort().join(' ');

describe('the catalogue of the source', () => {
  it('holds what the code says, and nothing else', () => {
    const fresh = mkdtempSync(join(tmpdir(), 'unisor-words-'));
    try {
      for (const file of readdirSync(folder).filter((name) => name.endsWith('.js'))) {
        copyFileSync(join(folder, file), join(fresh, file));
      }
      const env = { ...process.env, UNISOR_LOCALES: fresh };
      execFileSync('npx', ['wuchale'], { cwd: join(src, '..'), env, stdio: 'ignore' });
      const ids = (of: readonly Message[]) => of.map(({ id }) => id).sort();
      expect(ids(messagesOf('en'))).toEqual(ids(messagesOf('en', fresh)));
    } finally {
      rmSync(fresh, { recursive: true, force: true });
    }
    // All sources are read.
  }, 180_000);
});

describe.each(['de', 'fr'])('the catalogue in %s', (language) => {
  const [source, messages] = [messagesOf('en'), messagesOf(language)];

  it('says everything', () => {
    expect(messages.map(({ id }) => id).sort()).toEqual(source.map(({ id }) => id).sort());
    expect(messages.filter(({ words }) => words.some((one) => one === ''))).toEqual([]);
    expect(source.length).toBeGreaterThan(1000);
  });

  it('fills in what the source fills in', () => {
    const wrong = messages.filter(({ id, words }) => {
      const [first, ...others] = id.split(' ||| ');
      return words.some(
        (one) => holes(one) !== holes(first ?? '') && holes(one) !== holes(others[0] ?? ''),
      );
    });
    expect(wrong).toEqual([]);
  });
});

/** What is called with words for people, or with words for nobody. */
const says = new Set(['say', 'plural', 'fail', 'problem', 'note', 'describe', 'it', 'refuse']);
const sentence = /^[“„«+(]*\p{Lu}\p{Ll}+(?:[,:]? \p{L}+)+/u;

/** Names of keys, and of our own format. */
const notWords = /^(?:Ctrl|Alt|Enter|Shift)\b|^Unisor plan$/;

type Node = AST.SvelteNode & Record<string, unknown>;

/** Goes through a file's scripts, each node with what is around it. */
function walk(file: string, look: (node: Node, around: readonly Node[]) => void): void {
  const code = readFileSync(file, 'utf8');
  const isPage = file.endsWith('.svelte');
  const root = parse(isPage ? code : `<script lang="ts">${code}</script>`, { modern: true });
  const visit = (node: Node, around: readonly Node[]): void => {
    look(node, around);
    for (const child of Object.values(node).flat()) {
      if (child && typeof child === 'object' && 'type' in child && child !== node) {
        visit(child as Node, [...around, node]);
      }
    }
  };
  for (const part of [
    root.instance?.content,
    root.module?.content,
    isPage ? root.fragment : null,
  ]) {
    if (part) visit(part as unknown as Node, []);
  }
}

/** How often a module says something while it is loaded: before the language of who reads is there. */
function saidTooSoon(file: string): string[] {
  const found: string[] = [];
  walk(file, (node, around) => {
    const { name } = (node.callee ?? {}) as { name?: string };
    const called = name === 'say' || name === 'plural';
    const later = around.some(({ type }) =>
      /Function|MethodDefinition|PropertyDefinition/.test(type),
    );
    if (called && !later)
      found.push(`${file.slice(src.length)}: ${(node as { start?: number }).start ?? ''}`);
  });
  return found;
}

/** What is said with a blank at an end: the catalogue keeps no such blank, and words would run together. */
function saidWithBlanks(file: string): string[] {
  const found: string[] = [];
  walk(file, (node) => {
    const { name } = (node.callee ?? {}) as { name?: string };
    if (name !== 'say' && name !== 'plural') return;
    const [words, several] = (node.arguments ?? []) as (Node & { elements?: Node[] })[];
    for (const text of [words, ...(several?.elements ?? [])]) {
      const quasis = (text?.quasis ?? []) as { value: { cooked: string } }[];
      const parts = quasis.map(({ value }) => value.cooked);
      const said = typeof text?.value === 'string' ? [text.value] : parts;
      if (/^\s/.test(said[0] ?? '') || /\s$/.test(said.at(-1) ?? '')) {
        found.push(`${file.slice(src.length)}: ${said.join('#')}`);
      }
    }
  });
  return found;
}

/** The sentences of a file's scripts that nothing says. */
function unsaid(file: string): string[] {
  const found: string[] = [];
  walk(file, (node, around) => {
    const { type, value } = node as { type: string; value?: unknown };
    const quasis = (node.quasis ?? []) as { value: { cooked: string } }[];
    const text = type === 'TemplateLiteral' ? quasis.map((q) => q.value.cooked).join('#') : value;
    if ((type === 'Literal' || type === 'TemplateLiteral') && typeof text === 'string') {
      const said = around.some((outer) => {
        const callee = (outer.callee ?? {}) as { name?: string; type?: string };
        if (outer.type === ('CallExpression' as string)) {
          return says.has(callee.name ?? '') || callee.type === 'MemberExpression';
        }
        return /^(NewExpression|ThrowStatement|TS\w*Type|Attribute|StyleDirective)$/.test(
          outer.type,
        );
      });
      if (!said && sentence.test(text) && !notWords.test(text)) found.push(text);
    }
  });
  return found.map((text) => `${file.slice(src.length)}: ${text}`);
}

describe('no sentence stands outside the catalogue', () => {
  const files = readdirSync(src, { recursive: true, encoding: 'utf8' })
    .filter((file) => /^(ui|routes|core)\/.*\.(svelte|ts)$/.test(file) && !/\.test\.ts$/.test(file))
    // Sentences of problems are taken up as they stand; plans, standards and what programs read are in English.
    .filter(
      (file) => !/core\/(problems|formula\/functions|table\/shipped|formats\/openapi)/.test(file),
    );

  it('and none is said while a module is loaded', () => {
    const modules = files.filter((file) => file.endsWith('.ts'));
    expect(modules.flatMap((file) => saidTooSoon(join(src, file)))).toEqual([]);
  });

  it('and none with a blank at its ends', () => {
    expect(files.flatMap((file) => saidWithBlanks(join(src, file)))).toEqual([]);
  });

  it('in pages, parts and what they are made of', () => {
    expect(files.length).toBeGreaterThan(200);
    expect(files.flatMap((file) => unsaid(join(src, file)))).toEqual([]);
  });
});
