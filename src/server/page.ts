import { error } from '@sveltejs/kit';
import { ProblemError } from '$lib/core/problems';

/** Runs the load of a page; a problem becomes the page that says it. */
export async function forPage<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (failure) {
    if (!(failure instanceof ProblemError)) throw failure;
    const [first] = failure.problems;
    return error(failure.status, { message: first?.message ?? '', hint: first?.hint });
  }
}
