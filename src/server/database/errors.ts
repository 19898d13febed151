/** What the database said, as far as the product acts on it. */
interface DatabaseError {
  code?: string;
  errno?: number;
  sqlMessage?: string;
}

const awayCodes = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ETIMEDOUT',
  'PROTOCOL_CONNECTION_LOST',
  'ER_SERVER_SHUTDOWN',
  'ER_CONNECTION_KILLED',
  'ER_CON_COUNT_ERROR',
  // A node of a cluster that has lost its majority, or only reads.
  'ER_UNKNOWN_COM_ERROR',
  'ER_ERROR_DURING_COMMIT',
  'ER_OPTION_PREVENTS_STATEMENT',
]);

/** Whether the database could not be reached, or went away meanwhile. */
export function isAway(error: unknown): boolean {
  const { code } = asDatabaseError(error);
  if (code !== undefined && awayCodes.has(code)) return true;
  return (
    error instanceof Error &&
    (error.name === 'KnexTimeoutError' ||
      error.name === 'AcquireTimeoutError' ||
      /closed state|Connection lost|server is gone/i.test(error.message))
  );
}

/** Whether there is no room on the disk any more for what was to be written. */
export function isFull(error: unknown): boolean {
  const { code, errno, sqlMessage = '' } = asDatabaseError(error);
  return (
    fullCodes.has(code ?? '') ||
    errno === 1114 ||
    /No space left on device|errno: 28\b|Errcode: 28\b/i.test(sqlMessage)
  );
}

/** Whether a table has no room for one more column. */
export function isTooWide(error: unknown): boolean {
  return asDatabaseError(error).code === 'ER_TOO_BIG_ROWSIZE';
}

/** Whether a table, or one of its columns, is not there. */
export function isMissing(error: unknown): boolean {
  const { code } = asDatabaseError(error);
  return code === 'ER_NO_SUCH_TABLE' || code === 'ER_BAD_FIELD_ERROR';
}

const fullCodes = new Set(['ER_RECORD_FILE_FULL', 'ER_DISK_FULL', 'ER_ERROR_ON_WRITE']);

/** Whether the transaction was a deadlock's victim, or waited too long for a lock: try it again. */
export function isDeadlock(error: unknown): boolean {
  const { code } = asDatabaseError(error);
  return code === 'ER_LOCK_DEADLOCK' || code === 'ER_LOCK_WAIT_TIMEOUT';
}

/** The name of the unique index that a write ran into, or `null`. */
export function duplicateIndex(error: unknown): string | null {
  const { code, sqlMessage } = asDatabaseError(error);
  if (code !== 'ER_DUP_ENTRY') return null;
  return /for key '(?:[^']*\.)?([^'.]+)'/.exec(sqlMessage ?? '')?.[1] ?? '';
}

/** The column of the foreign key that a write ran into, as it refers to a missing record; or `null`. */
export function missingReference(error: unknown): string | null {
  const { code, sqlMessage } = asDatabaseError(error);
  if (code !== 'ER_NO_REFERENCED_ROW_2' && code !== 'ER_NO_REFERENCED_ROW') return null;
  return /FOREIGN KEY \(`([^`]+)`\)/.exec(sqlMessage ?? '')?.[1] ?? '';
}

/** Whether a record could not be deleted because others refer to it. */
export function isReferenced(error: unknown): boolean {
  const { code } = asDatabaseError(error);
  return code === 'ER_ROW_IS_REFERENCED_2' || code === 'ER_ROW_IS_REFERENCED';
}

/** What the database said, for a sentence to the designer. */
export function databaseWords(error: unknown): string {
  const { sqlMessage } = asDatabaseError(error);
  return sqlMessage ?? (error instanceof Error ? error.message : String(error));
}

function asDatabaseError(error: unknown): DatabaseError {
  return typeof error === 'object' && error !== null ? (error as DatabaseError) : {};
}
