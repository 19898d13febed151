import type { RequestEvent } from '@sveltejs/kit';
import { expect, it } from 'vitest';
import { handleError } from './hooks.server';

it('names what went wrong also where that was before anything was known of the request', async () => {
  const event = { locals: {} } as RequestEvent;
  const error = new Error('Cannot find module');
  const told = await handleError({ error, event, status: 500, message: 'Internal Error' });
  expect(told?.message).toBe('Something went wrong.');
  expect(told?.hint).toMatch(/^It was logged as [0-9a-f]{8}; please try again\.$/);
});
