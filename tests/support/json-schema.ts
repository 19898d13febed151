import fc from 'fast-check';

type Schema = Record<string, unknown>;

/** Texts that have made trouble somewhere: no names, numbers in disguise, endless, in any script. */
const oddTexts = [
  '',
  ' ',
  '0',
  '-1',
  '1e400',
  'null',
  "'; --",
  '{a}',
  '%2e%2e',
  '../..',
  '\u0000',
  '🐎',
];
const odd = fc.oneof(
  fc.constantFrom<unknown>(null, true, -1, 0, 1e308, -0.5, 2 ** 53, [], {}, ...oddTexts),
  fc.string({ unit: 'binary', maxLength: 20 }).map((text) => text.toWellFormed?.() ?? text),
  fc.constant('x'.repeat(70_000)),
  fc.constant(Array.from({ length: 300 }, (_, i) => i)),
);

/**
 * Values as a JSON Schema has them, for the most part: with known names where texts stand, and now and then
 * with something else in the place of a part.
 */
export function valuesOf(root: Schema, names: readonly string[]): fc.Arbitrary<unknown> {
  const make = (given: unknown, depth: number): fc.Arbitrary<unknown> => {
    const schema = (given ?? {}) as Schema;
    const within = exact(schema, depth);
    return depth > 7
      ? within
      : fc.oneof({ weight: 30, arbitrary: within }, { weight: 1, arbitrary: odd });
  };
  const exact = (schema: Schema, depth: number): fc.Arbitrary<unknown> => {
    if (depth > 9) return fc.constant(null);
    if (typeof schema.$ref === 'string') {
      const name = schema.$ref.split('/').at(-1) ?? '';
      const defined = (root.$defs ?? {}) as Schema;
      return make(schema.$ref === '#' ? root : defined[name], depth + 1);
    }
    if (Array.isArray(schema.enum)) return fc.constantFrom(...(schema.enum as unknown[]));
    if ('const' in schema) return fc.constant(schema.const);
    const ways = (schema.anyOf ?? schema.oneOf) as unknown[] | undefined;
    if (ways) return fc.oneof(...ways.map((each) => make(each, depth + 1)));
    switch (schema.type) {
      case 'string':
        return fc.oneof(fc.constantFrom(...names), fc.string({ maxLength: 12 }), fc.uuid());
      case 'integer':
      case 'number':
        return fc.integer({ min: 0, max: 40 });
      case 'boolean':
        return fc.boolean();
      case 'null':
        return fc.constant(null);
      case 'array':
        return fc.array(make(schema.items, depth + 1), { maxLength: 3 });
      case 'object':
        return objects(schema, depth);
      default:
        return fc.oneof(fc.constantFrom<unknown>(...names, 1, null, true), odd);
    }
  };
  const objects = (schema: Schema, depth: number): fc.Arbitrary<unknown> => {
    const properties = (schema.properties ?? {}) as Schema;
    const required = (schema.required ?? []) as string[];
    const known = fc.record(
      Object.fromEntries(Object.entries(properties).map(([k, v]) => [k, make(v, depth + 1)])),
      { requiredKeys: required.filter((key) => key in properties) },
    );
    const { additionalProperties: more } = schema;
    if (typeof more !== 'object' || more === null) return known;
    const others = fc.dictionary(fc.constantFrom(...names), make(more, depth + 1), { maxKeys: 4 });
    return fc.tuple(others, known).map(([a, b]) => ({ ...a, ...(b as object) }));
  };
  return make(root, 0);
}
