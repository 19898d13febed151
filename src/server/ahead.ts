/**
 * Gives what a source gives, its next already under way while the last is worked on: the database reads what
 * comes next while rows go in or out. The source is closed with whoever takes from it, once what is under way
 * has come.
 */
export async function* oneAhead<T>(source: AsyncGenerator<T>): AsyncGenerator<T> {
  let coming = source.next();
  try {
    for (;;) {
      const next = await coming;
      if (next.done) return;
      coming = source.next();
      // Told where it is awaited; whoever stops in between has no more use for it.
      coming.catch(() => {});
      yield next.value;
    }
  } finally {
    await source.return(undefined).catch(() => {});
  }
}
