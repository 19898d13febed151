/** What is written instead of a text of a file, wherever it stands in its column; or instead of one cell. */
export type Correction = {
  /** The cell of a row, counted from 0. */
  source: number;
  instead: string;
} & ({ given: string } | { line: number });

/** The corrections with one more, which takes the place of an earlier one; none that changes nothing. */
export function withCorrection(
  corrections: readonly Correction[],
  correction: Correction,
): Correction[] {
  const others = corrections.filter((one) => placeOf(one) !== placeOf(correction));
  const changesNothing = 'given' in correction && correction.given === correction.instead;
  return changesNothing ? others : [...others, correction];
}

/** What is written instead of a text wherever it stands in a column; nothing where it stays. */
export function insteadOf(
  corrections: readonly Correction[],
  source: number,
  given: string,
): string | undefined {
  return corrections.find((one) => placeOf(one) === placeOf({ source, given, instead: '' }))
    ?.instead;
}

function placeOf(correction: Correction): string {
  const where = 'given' in correction ? { given: correction.given } : { line: correction.line };
  return JSON.stringify([correction.source, where]);
}
