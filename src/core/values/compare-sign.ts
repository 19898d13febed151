/** The signs with which two values are compared. */
export const compareSigns = ['=', '!=', '<', '<=', '>', '>='] as const;
export type CompareSign = (typeof compareSigns)[number];
