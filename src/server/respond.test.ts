import { afterAll, describe, expect, it, vi } from 'vitest';
import { z } from 'zod';
import { plainReader, readBy, type Language } from '$lib/core/words/reader';
import { fail, problem, ProblemError } from '$lib/core/problems';
import {
  carriedText,
  largestBody,
  parsed,
  parsedParameter,
  problemDetails,
  problemsOf,
  readBody,
  recordId,
} from './respond';

// Others may have brought in what is put in the place of something here.
vi.hoisted(() => vi.resetModules());
afterAll(() => vi.resetModules());

vi.mock('./log', () => ({ log: { warn: () => {}, error: () => {} } }));

const schema = z.strictObject({ name: z.string() });
const posted = (body: BodyInit | null, headers: Record<string, string> = {}) =>
  new Request('http://127.0.0.1/', {
    method: 'POST',
    body,
    headers,
    duplex: 'half',
  } as RequestInit);
const codeOf = (work: Promise<unknown>) =>
  work.then(
    () => 'read',
    (error: unknown) =>
      error instanceof ProblemError ? `${error.status} ${error.problems[0]?.code}` : error,
  );

describe('bodies of requests', () => {
  it('are read as their schema says', async () => {
    expect(await readBody(posted('{"name":"A"}'), schema)).toEqual({ name: 'A' });
  });

  it.each([
    ['nothing', null],
    ['no JSON', '{'],
    ['nested without end', '['.repeat(100_000)],
    ['half of a character', '{"name":"\\ud800"}'],
  ])('are refused where they are %s', async (_, body) => {
    expect(await codeOf(readBody(posted(body), schema))).toBe('400 not_json');
  });

  it('are refused with the place of the first fault', async () => {
    const found = await readBody(posted('{"name":1}'), schema).catch(
      (error: ProblemError) => error,
    );
    expect(found).toMatchObject({ status: 400, problems: [{ code: 'bad_request', path: 'name' }] });
  });

  it('are not read further than their bound, whatever their head says', async () => {
    const large = 'x'.repeat(largestBody + 1);
    expect(await codeOf(readBody(posted(large), schema))).toBe('413 too_large');
    const endless = new ReadableStream({
      pull: (controller) => controller.enqueue(new Uint8Array(1024 * 1024)),
    });
    expect(await codeOf(readBody(posted(endless), schema))).toBe('413 too_large');
  });

  it('that break off are said so', async () => {
    const broken = new ReadableStream({
      pull: (controller) => controller.error(new Error('gone')),
    });
    expect(await codeOf(readBody(posted(broken), schema))).toBe('400 body_cut_off');
  });
});

describe('what goes wrong', () => {
  const status = (error: unknown) => {
    const told = problemsOf(error, 'r1');
    return `${told.status} ${told.problems[0]?.code}`;
  };

  it('leaves with its own status, and 500 only where nobody expected it', () => {
    expect(status(new ProblemError(problem('busy'), 409))).toBe('409 busy');
    expect(status(schema.safeParse({}).error)).toBe('400 bad_request');
    expect(status({ code: 'ECONNREFUSED' })).toBe('503 database_away');
    expect(status({ code: 'ER_LOCK_DEADLOCK', errno: 1213 })).toBe('503 busy');
    expect(status({ errno: 1021, code: 'ER_DISK_FULL' })).toBe('503 disk_full');
    expect(status(new TypeError('x'))).toBe('500 internal');
  });

  it('is said in the reader’s language, by schemas too', () => {
    const said = (language: Language) => {
      readBy(() => ({ ...plainReader, language }));
      try {
        parsed(z.object({ copies: z.number().max(5) }), { copies: 9 });
      } catch (error) {
        return problemsOf(error, 'r1').problems[0]?.message;
      } finally {
        readBy(() => plainReader);
      }
      return 'nothing';
    };
    expect(said('en')).toContain('copies: Too big');
    expect(said('de')).toContain('copies: Zu groß');
    expect(said('fr')).toContain('copies: Trop grand');
  });

  it('says nothing of values that it did not expect', () => {
    const told = problemsOf(new Error('duplicate entry "secret"'), 'r1');
    expect(JSON.stringify(told.problems)).not.toContain('secret');
    expect(JSON.stringify(told.problems)).toContain('r1');
  });

  it('is problem details as RFC 9457 has them', async () => {
    const response = problemDetails(409, [problem('busy')], { now: 1 });
    expect(response.headers.get('content-type')).toBe('application/problem+json');
    const body: unknown = await response.json();
    expect(body).toMatchObject({ type: 'about:blank', status: 409, now: 1 });
    expect(body).toHaveProperty('title', problem('busy').message);
  });
});

describe('addresses', () => {
  it('name a record by a whole number, or none', () => {
    expect(recordId('7', 'loan')).toBe(7);
    for (const odd of ['0', '-1', '1.5', '1e400', 'x', '']) {
      expect(() => recordId(odd, 'loan'), odd).toThrow(ProblemError);
    }
  });

  it('carry JSON that is read, left out, or refused', () => {
    const at = (query: string) => new URL(`http://x/?${query}`);
    const numbers = z.array(z.number());
    expect(parsedParameter(at('list=[1]'), 'list', numbers, [])).toEqual([1]);
    expect(parsedParameter(at(''), 'list', numbers, [9])).toEqual([9]);
    for (const odd of ['list=[', 'list=["a"]']) {
      expect(() => parsedParameter(at(odd), 'list', numbers, []), odd).toThrow(ProblemError);
    }
  });

  it('carry columns along in one steady spelling', () => {
    const one = carriedText(new URL('http://x/?with.town=1&other=2&with.a=b%20c'));
    expect(one).toBe(carriedText(new URL('http://x/?with.a=b%20c&with.town=1')));
    expect(one).toBe('with.a=b+c&with.town=1');
  });

  it('fail with whatever a route says', () => {
    expect(() => fail('busy', {}, 418)).toThrow(ProblemError);
  });
});
