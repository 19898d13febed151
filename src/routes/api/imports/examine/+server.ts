import { say } from '$lib/core/words/say';
import { fail } from '$lib/core/problems';
import type { Examination } from '$lib/server/records/examine';
import { apart } from '$lib/server/threads/pool';
import { answering } from '$lib/server/respond';

export const POST = answering(async ({ request, url }) => {
  if (!request.body) fail('file_empty', {}, 422, 'file');
  const delimiter = url.searchParams.get('delimiter') ?? undefined;
  if (delimiter !== undefined && delimiter.length !== 1) {
    fail('bad_request', { reason: say('a delimiter is one character') }, 400);
  }
  return apart<Examination>('examine', request.body, { delimiter });
});
