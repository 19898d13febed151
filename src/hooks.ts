import type { Transport } from '@sveltejs/kit';
import { House } from '$lib/core/table/definition';
import { sourcesOf, tablesWith, type Sources } from '$lib/core/table/sources';

/** A house goes from the server's pages to the screen with all its parts; how queries are asked stays behind. */
export const transport: Transport = {
  House: {
    encode: (value) => value instanceof House && sourcesOf(value),
    decode: (sources: Sources) => tablesWith(sources),
  },
};
