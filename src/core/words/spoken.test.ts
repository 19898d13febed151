import { afterEach, describe, expect, it } from 'vitest';
import { plainReader, readBy, type Language } from './reader';
import { spoken } from './say';

afterEach(() => readBy(() => plainReader));

describe('a table of words', () => {
  it('is said in the language of who reads, each time', () => {
    let language: Language = 'en';
    readBy(() => ({ ...plainReader, language }));
    const made: string[] = [];
    const words = spoken(() => {
      made.push(language);
      return { yes: `yes in ${language}`, no: `no in ${language}` };
    });
    expect(made).toEqual([]);
    expect(words.yes).toBe('yes in en');
    language = 'de';
    expect(words.no).toBe('no in de');
    expect(Object.entries(words)).toEqual([
      ['yes', 'yes in de'],
      ['no', 'no in de'],
    ]);
    expect('yes' in words && !('maybe' in words)).toBe(true);
    language = 'en';
    expect(words.no).toBe('no in en');
    expect(made).toEqual(['en', 'de']);
  });
});
