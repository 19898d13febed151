import fs from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { Rights } from '$lib/core/access/rights';
import { shippedRoles } from '$lib/core/access/role';
import { allDoors, doorOf, opens } from './doors';
import { allOperations } from './operations';

const routes = path.resolve(import.meta.dirname, '../../routes');
const files = fs.readdirSync(routes, { recursive: true, encoding: 'utf8' });

/** What the product answers: each method of each route, pages as GET. */
const answered = files.flatMap((file) => {
  const route = `/${path.dirname(file)}`.replace(/^\/\.$/, '/');
  if (file.endsWith('+page.svelte')) return [`GET ${route}`];
  if (!file.endsWith('+server.ts')) return [];
  const source = fs.readFileSync(path.join(routes, file), 'utf8');
  const methods = [...source.matchAll(/export const (GET|POST|PUT|PATCH|DELETE)\b/g)];
  return methods.map(([, method]) => `${method} ${route}`);
});

describe('L2 doors', () => {
  it('stand at every route, and nowhere else', () => {
    const doors = allDoors().map(({ route, method }) => `${method} ${route}`);
    expect(answered.length).toBeGreaterThan(80);
    expect(doors.toSorted()).toEqual(answered.toSorted());
  });

  it('let nobody in who is not known, but where that is said', () => {
    const open = allDoors().filter((door) => opens(door, null, {}));
    expect(open.map(({ route }) => route).every((route) => openTo.test(route))).toBe(true);
    expect(open.length).toBeGreaterThan(8);
  });

  it('are shut to somebody without a role, but for their own account and what is everybody’s', () => {
    const nothing = new Rights([]);
    const params = { table: 'loan', form: 'lend_music' };
    const shut = allDoors().filter((door) => !opens(door, nothing, params));
    expect(shut.every(({ needs }) => needs.every((need) => typeof need === 'object'))).toBe(true);
    expect(shut.length).toBeGreaterThan(50);
  });

  it('are all open to a keeper', () => {
    const keeper = new Rights(shippedRoles().filter(({ key }) => key === 'keeper'));
    const params = { table: 'loan', form: 'lend_music' };
    expect(allDoors().filter((door) => !opens(door, keeper, params))).toEqual([]);
  });

  it('are not there for methods and routes that nobody answers', () => {
    expect(doorOf('/api/tables', 'DELETE')).toBeNull();
    expect(doorOf('/api/nothing', 'GET')).toBeNull();
    expect(doorOf(null, 'GET')).toBeNull();
    expect(doorOf('/api/tables', 'HEAD')).not.toBeNull();
  });

  it('no route reads the whole house by itself', () => {
    const reading = files.filter((file) => {
      if (!file.endsWith('.ts') || file.includes('guest')) return false;
      return /\bloadTables\b/.test(fs.readFileSync(path.join(routes, file), 'utf8'));
    });
    expect(reading).toEqual([]);
  });
});

describe('K4 the description of the API', () => {
  it('says what a body holds wherever one is read, and only there', () => {
    const reading = files.flatMap((file) => {
      if (!file.endsWith('+server.ts')) return [];
      const source = fs.readFileSync(path.join(routes, file), 'utf8');
      const parts = source.split(/(?=export const (?:GET|POST|PUT|PATCH|DELETE)\b)/).slice(1);
      const route = `/${path.dirname(file)}`.replace(/\[(\w+)\]/g, '{$1}');
      return parts
        .filter((part) => part.includes('readBody('))
        .map((part) => `${/const (\w+)/.exec(part)?.[1]} ${route}`);
    });
    const said = allOperations().filter(({ body }) => body !== undefined);
    expect(reading.length).toBeGreaterThan(40);
    expect(said.map(({ method, path: at }) => `${method} ${at}`).toSorted()).toEqual(
      reading.toSorted(),
    );
  });
});

const openTo = /^\/(guest|sign-in|set-up|welcome|api\/(guest|sign-in|set-up|welcome|health))\b/;
