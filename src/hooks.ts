import type { Transport } from '@sveltejs/kit';
import { House } from '$lib/core/table/definition';
import { sourcesOf, tablesWith, type Sources } from '$lib/core/table/sources';

/**
 * A house goes from the server's pages to the screen with all its parts; how queries are asked stays behind. As JSON: a
 * house of a thousand tables would be walked through value by value otherwise, on both sides.
 */
export const transport: Transport = {
  House: {
    encode: (value) => value instanceof House && JSON.stringify(sourcesOf(value)),
    decode: (sources: string) => tablesWith(JSON.parse(sources) as Sources),
  },
};
