/** @typedef {() => Promise<import("wuchale/runtime").CatalogModule>} CatalogMod */
/** @typedef {{[locale: string]: CatalogMod}} KeyCatalogs */
/** @type {{[loadID: string]: KeyCatalogs}} */
const catalogs = {
  ui: {
    en: () => import('./ui.ui.en.compiled.js'),
    de: () => import('./ui.ui.de.compiled.js'),
    fr: () => import('./ui.ui.fr.compiled.js'),
  },
};
export const loadCatalog = (/** @type {string} */ loadID, /** @type {string} */ locale) => {
  return /** @type {CatalogMod} */ (/** @type {KeyCatalogs} */ (catalogs[loadID])[locale])();
};
export const loadIDs = ['ui'];
