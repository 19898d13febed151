/** What some work gives within so many milliseconds; otherwise `late` says what is thrown. */
export async function inTime<T>(
  work: Promise<T>,
  milliseconds: number,
  late: () => Error,
): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const ended = new Promise<never>((_, refuse) => {
    timer = setTimeout(() => refuse(late()), Math.max(0, milliseconds));
  });
  // What comes too late is heard by nobody.
  work.catch(() => undefined);
  try {
    return await Promise.race([work, ended]);
  } finally {
    clearTimeout(timer);
  }
}
