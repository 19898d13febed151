import { say } from '../../words/say';
import { Decimal, type Feel } from '../feel';
import { number, text, yesNo } from '../kinds';
import { contextFunctions } from './contexts';
import { dateFunctions } from './dates';
import { listFunctions } from './lists';
import { numberFunctions } from './numbers';
import { rangeFunctions } from './ranges';
import type { FeelFunctions } from './signature';
import { textFunctions } from './texts';

const otherFunctions: FeelFunctions = {
  not: {
    parameters: [yesNo],
    gives: yesNo,
    does: () => say('the opposite'),
    run: ([value]) => (typeof value === 'boolean' ? !value : null),
  },
  number: {
    parameters: [text, text, text],
    optional: 2,
    withAbsent: true,
    gives: number,
    does: () =>
      say('a number from a text; with the signs for groups and decimals, where they are others'),
    run: ([given, group, point], frame) => {
      const [groups, decimals] = [group ?? null, point ?? null];
      const known = (sign: Feel, signs: string) => sign === null || signs.includes(sign as string);
      const apart = groups === null || groups !== decimals;
      if (given === null || !known(groups, ' ,.') || !known(decimals, ',.') || !apart) {
        return frame.warn('not_a_number');
      }
      let written = given as string;
      if (groups !== null && groups !== '') written = written.replaceAll(groups as string, '');
      if (decimals !== null && decimals !== '') written = written.replace(decimals as string, '.');
      if (!/^-?(\d{1,40}(\.\d{1,40})?|\.\d{1,40})$/.test(written)) {
        return frame.warn('not_a_number');
      }
      return new Decimal(written);
    },
  },
};

/** Every function that formulas know, by name. */
export const functions: FeelFunctions = {
  ...numberFunctions,
  ...textFunctions,
  ...listFunctions,
  ...dateFunctions,
  ...rangeFunctions,
  ...contextFunctions,
  ...otherFunctions,
};
