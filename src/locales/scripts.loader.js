import { registerLoaders } from 'wuchale/load-utils';
import { loadCatalog, loadIDs } from './.wuchale/scripts.proxy.js';

/** The words of the reader's language; they are loaded once, before anything is shown (`hooks.client.ts`). */
export const getRuntime = registerLoaders('scripts', loadCatalog, loadIDs);
export const getRuntimeRx = getRuntime;
