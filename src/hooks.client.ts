import type { ClientInit } from '@sveltejs/kit';
import { loadLocale } from 'wuchale/load-utils';
import './locales/pages.loader.js';
import './locales/scripts.loader.js';
import { languages, plainReader, readBy, type Reader } from '$lib/core/words/reader';

/** The reader as the server has seen them: what it has written stays as it is. */
const { lang, dataset } = document.documentElement;
const here: Reader = {
  locale: dataset.locale ?? plainReader.locale,
  zone: dataset.zone ?? plainReader.zone,
  language: languages.find((language) => language === lang) ?? plainReader.language,
};
readBy(() => here);

/** Nothing is shown before the words of the reader's language are there. */
export const init: ClientInit = () => loadLocale(here.language);
