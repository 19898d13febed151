import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { settings } from '../src/server/settings';
import { root } from './install.mjs';

/** Reads units; a machine without systemd has none. */
const systemd = '/usr/bin/systemd-analyze';
const read = (name: string) => fs.readFileSync(path.join(root, 'deploy', name), 'utf8');
const namesIn = (text: string, pattern: RegExp) =>
  new Set([...text.matchAll(pattern)].map(([, name]) => name ?? ''));

describe('what is deployed', () => {
  const wanted = namesIn(read('haproxy.cfg'), /"\$\{(\w+)\}"/g);

  it('gives the balancer everything that its settings ask for', () => {
    expect(wanted.size).toBeGreaterThan(8);
    const composed = namesIn(read('compose.yaml'), /^ {6}(UNISOR_\w+):/gm);
    expect([...wanted].filter((name) => !composed.has(name))).toEqual([]);
    const started = fs.readFileSync(path.join(root, 'scripts', 'balancer.mjs'), 'utf8');
    const here = [...wanted].filter((name) => !started.includes(name.replace(/_\d$/, '')));
    expect(here).toEqual([]);
  });

  it('names settings that a process knows, and files that are there', () => {
    const known = new Set(Object.keys(settings()));
    for (const key of ['UNISOR_DATABASE_URL', 'UNISOR_ORIGINS', 'UNISOR_READ_URL', 'ORIGIN'])
      known.add(key);
    const named = namesIn(read('unisor.env'), /^#?(UNISOR_\w+)=/gm);
    expect(named.size).toBeGreaterThan(2);
    expect([...named].filter((name) => !known.has(name))).toEqual([]);
    const [, program] = /ExecStart=\/usr\/bin\/node (\S+)/.exec(read('unisor@.service')) ?? [];
    expect(fs.existsSync(path.join(root, program ?? 'none'))).toBe(true);
  });

  it.skipIf(!fs.existsSync(systemd))('has a unit that systemd reads without a word', () => {
    const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-unit-'));
    try {
      const unit = path.join(folder, 'unisor@4181.service');
      const verified = (text: string) => {
        fs.writeFileSync(unit, text);
        const { status, stderr } = spawnSync(systemd, ['verify', unit], { encoding: 'utf8' });
        return `${status} ${stderr}`;
      };
      const text = read('unisor@.service').replace('/usr/bin/node', process.execPath);
      expect(verified(text)).toBe('0 ');
      expect(verified(text.replace('Restart=always', 'Restart=ever'))).toContain('ever');
    } finally {
      fs.rmSync(folder, { recursive: true, force: true });
    }
  });

  it('composes of parts that are there: files that are mounted, settings that are passed on', () => {
    const composed = read('compose.yaml');
    const mounted = [...composed.matchAll(/'\.\/([^:']+):/g)].map(([, name]) => name ?? '');
    // Made by make-certificates, on the machine itself.
    const here = mounted.filter((name) => name !== 'ca.pem');
    expect(here.length).toBeGreaterThan(1);
    expect(here.filter((name) => !fs.existsSync(path.join(root, 'deploy', name)))).toEqual([]);
    const process = namesIn(composed, /^ {4}([A-Z_]+):/gm);
    const unit = namesIn(read('unisor@.service'), /(?:Environment=| )([A-Z_]{3,})=/g);
    const inBoth = [...unit].filter((name) => name !== 'NODE_ENV' && !process.has(name));
    expect(inBoth).toEqual([]);
  });

  it('asks a node in a way that only a node of a cluster with the majority answers', () => {
    expect(fs.statSync(path.join(root, 'deploy', 'node-is-ready')).mode & 0o111).not.toBe(0);
    expect(read('node-is-ready')).toContain('Primary,4,ON');
  });
});
