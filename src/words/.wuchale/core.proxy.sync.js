import * as _w_c_core_0_ from './ui.ui.en.compiled.js';
import * as _w_c_core_1_ from './ui.ui.de.compiled.js';
import * as _w_c_core_2_ from './ui.ui.fr.compiled.js';
/** @typedef {import("wuchale/runtime").CatalogModule} CatalogMod */
/** @typedef {{[locale: string]: CatalogMod}} KeyCatalogs */
/** @type {{[loadID: string]: KeyCatalogs}} */
const catalogs = { core: { en: _w_c_core_0_, de: _w_c_core_1_, fr: _w_c_core_2_ } };
export const loadCatalog = (/** @type {string} */ loadID, /** @type {string} */ locale) => {
  return /** @type {CatalogMod} */ (/** @type {KeyCatalogs} */ (catalogs[loadID])[locale]);
};
export const loadIDs = ['core'];
