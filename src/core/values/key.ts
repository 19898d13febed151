import { z } from 'zod';

/** Keys of tables, columns, forms and fields: snake_case, at most 48 characters. */
export const keySchema = z
  .string()
  .min(1)
  .max(48)
  .regex(/^[a-z][a-z0-9_]*$/, 'a key holds small letters, digits and _');
