/** @typedef {('en'|'de'|'fr')} Locale */
/** @type {Locale[]} */
export const locales = ['en', 'de', 'fr'];
