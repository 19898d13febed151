import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { queryProblems, querySchema, connectionSchema } from './query';
import { canonicalFrom, proposedColumns, rowsFrom, valueAt } from './rows';
import { addressFrom, placesIn, statementFrom } from './template';

const text = { kind: 'text', format: 'plain', length: 255 } as const;

describe('H2 an address with parameters', () => {
  it('keeps every value in its place', () => {
    const at = (code: string) => addressFrom('http://a/api/', '/members/{code}', { code });
    expect(at('VTW-217')).toBe('http://a/api/members/VTW-217');
    expect(at('../../admin')).toBe('http://a/api/members/..%2F..%2Fadmin');
    for (const dots of ['.', '..']) expect(() => at(dots), dots).toThrow('only dots');
    const two = (a: string, b: string) => addressFrom('http://a/api/', '/x/{a}{b}/y', { a, b });
    expect(() => two('.', '.')).toThrow('only dots');
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.string(), (a, b) => {
        let address: string;
        try {
          address = two(a.toWellFormed(), b);
        } catch {
          return;
        }
        const { pathname, host, search } = new URL(address);
        expect(host).toBe('a');
        expect(search).toBe('');
        expect(pathname).toMatch(/^\/api\/x\/[^/]*\/y$/);
      }),
    );
    expect(at('a?b=c&d#e')).toBe('http://a/api/members/a%3Fb%3Dc%26d%23e');
    expect(at('x\r\nHost: b')).toBe('http://a/api/members/x%0D%0AHost%3A%20b');
  });

  it('leaves out a part of the query whose value is absent', () => {
    const at = (values: Record<string, string | null>) =>
      addressFrom('http://a', 'v?type={type}&maker={maker}', values);
    expect(at({ type: 'viola', maker: null })).toBe('http://a/v?type=viola');
    expect(at({})).toBe('http://a/v');
  });

  it('never leaves its host, path or query, whatever is given', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (code) => {
        // A lone surrogate is no text that could be sent.
        fc.pre(code.isWellFormed() && code !== '');
        const url = new URL(addressFrom('http://a.example/api', 'm/{code}/x', { code }));
        expect(url.host).toBe('a.example');
        expect(url.search + url.hash).toBe('');
        const [, api, m, inside = '', x] = url.pathname.split('/');
        expect([api, m, x]).toEqual(['api', 'm', 'x']);
        expect(decodeURIComponent(inside)).toBe(code);
      }),
    );
  });

  it('binds what a statement is given, and lets no mark of its own shift it', () => {
    const { sql, bound } = statementFrom("select '?' from b where a = {a} and c = {c} or a = {a}", {
      a: "x' or '1'='1",
      c: 2,
    });
    expect(sql).toBe("select '\\?' from b where a = ? and c = ? or a = ?");
    expect(bound).toEqual(["x' or '1'='1", 2, "x' or '1'='1"]);
    expect(placesIn('a {b} {c} {b}')).toEqual(['b', 'c']);
  });
});

describe('H2 an answer as rows', () => {
  const columns = [
    { key: 'name', label: 'Name', path: 'contact.name', type: text },
    { key: 'n', label: 'N', path: 'n', type: { kind: 'whole' as const } },
  ];

  it('is read at its place, one row or many', () => {
    const row = { contact: { name: 'Ann' }, n: 3 };
    expect(rowsFrom({ rows: '', columns }, row)?.rows).toEqual([{ name: 'Ann', n: 3 }]);
    expect(rowsFrom({ rows: 'items', columns }, { items: [row, row] })?.rows).toHaveLength(2);
    expect(
      rowsFrom({ rows: 'data[0].items', columns }, { data: [{ items: [row] }] })?.rows,
    ).toEqual([{ name: 'Ann', n: 3 }]);
    expect(rowsFrom({ rows: 'items', columns }, { other: [] })).toBeNull();
    expect(rowsFrom({ rows: '', columns }, 'text')).toBeNull();
  });

  it('holds nothing that is not of its type, and says of which columns', () => {
    const read = rowsFrom({ rows: '', columns }, [{ contact: { name: { was: 1 } }, n: 'many' }]);
    expect(read).toEqual({ rows: [{ name: null, n: null }], left: 0, misfits: ['Name', 'N'] });
  });

  it('is cut behind a bound, and tells how many are left', () => {
    const read = rowsFrom(
      { rows: '', columns },
      Array.from({ length: 10_000 }, (_, n) => ({ n })),
    );
    expect(read?.rows).toHaveLength(2000);
    expect(read?.left).toBe(8000);
  });

  it('takes numbers as exact decimals, and texts as what they say', () => {
    const money = { kind: 'decimal', precision: 10, scale: 2 } as const;
    expect(canonicalFrom(money, 12.5)).toBe('12.50');
    expect(canonicalFrom(money, '12.50')).toBe('12.50');
    expect(canonicalFrom({ kind: 'date' }, '2026-03-01')).toBe('2026-03-01');
    expect(canonicalFrom({ kind: 'yes_no' }, 'yes')).toBe(true);
    expect(canonicalFrom({ kind: 'whole' }, '')).toBeNull();
    expect(canonicalFrom({ kind: 'whole' }, 1.5)).toBeUndefined();
  });

  it('reads own properties only', () => {
    expect(valueAt({}, '__proto__.toString')).toBeUndefined();
    expect(valueAt([1], 'length')).toBe(1);
    expect(valueAt({ a: null }, 'a.b')).toBeUndefined();
  });

  it('proposes its plain values as columns', () => {
    const proposed = proposedColumns(
      { items: [{ id: 1, contact: { name: 'Ann' }, tags: ['a'] }] },
      'items',
    );
    expect(proposed.map(({ path, type }) => [path, type.kind])).toEqual([
      ['id', 'whole'],
      ['contact.name', 'text'],
    ]);
  });
});

describe('a query', () => {
  const query = (more: object) =>
    querySchema.parse({ key: 'q', title: 'Q', connection: 'c', ...more });
  const parameter = { key: 'code', label: 'Code', type: text };

  it.each([
    ['http', { text: 'members/{code}', parameters: [parameter] }, []],
    ['http', { text: 'members/{other}', parameters: [parameter] }, ['parameter_missing']],
    ['http', { text: 'http://elsewhere.example/x' }, ['address_outside_base']],
    ['http', { text: '//elsewhere.example/x' }, ['address_outside_base']],
    ['http', { text: 'x', parameters: [parameter, parameter] }, ['parameter_twice']],
    ['http', { text: 'x', searches: 'words' }, ['parameter_missing']],
    ['sql', { text: 'delete from booking' }, ['select_only']],
    ['sql', { text: 'select 1' }, []],
  ] as const)('is examined (%s %#)', (kind, more, codes) => {
    expect(queryProblems(query(more), kind).map(({ code }) => code)).toEqual(codes);
  });

  it('is sent no header that would begin another one', () => {
    const http = { kind: 'http', base: 'http://a.example' };
    const headers = [{ name: 'x-a', value: 'b\r\nx-c: d' }];
    expect(connectionSchema.safeParse({ ...http, headers }).success).toBe(false);
    expect(
      connectionSchema.safeParse({ ...http, headers: [{ name: 'x-a', value: 'b' }] }).success,
    ).toBe(true);
    expect(connectionSchema.safeParse({ ...http, base: 'file:///etc/passwd' }).success).toBe(false);
  });
});
