import toRuntime from 'wuchale/runtime';
import { reader } from '../core/words/reader';
import { loadCatalog } from './.wuchale/pages.proxy.sync.js';

const runtimes = {};

/** The words in the language of whose request is being answered. */
export function getRuntime(loadID) {
  const { language } = reader();
  return (runtimes[language] ??= toRuntime(loadCatalog(loadID, language), language));
}
export const getRuntimeRx = getRuntime;
