import { describe, expect, it } from 'vitest';
import { sheetFrom, type CsvRow } from './file-rows';

async function read(...rows: string[][]): Promise<{ header: string[]; rows: string[][] }> {
  async function* given(): AsyncGenerator<CsvRow> {
    for (const [i, cells] of rows.entries()) yield { cells, line: i + 1 };
  }
  const file = await sheetFrom(given());
  const all: string[][] = [];
  for await (const batch of file.rows) all.push(...batch.map(({ cells }) => cells));
  return { header: file.header, rows: all };
}

describe('the header of a sheet', () => {
  const groups = ['Name', 'Address', '', 'Contact', ''];
  const names = ['', 'Town', 'Post code', 'Phone', 'E-mail'];
  const row = ['Velden Brass', 'Velden', '04100', '555-0100', 'brass@example.org'];

  it('may have two rows: groups, and the names that they span', async () => {
    const header = ['Name', 'Address Town', 'Address Post code', 'Contact Phone', 'Contact E-mail'];
    expect(await read(groups, names, row)).toEqual({ header, rows: [row] });
    expect(await read(['Members 2026'], groups, names, row)).toEqual({ header, rows: [row] });
  });

  it.each([
    ['there is no group', ['Name', 'Town'], ['Velden Brass', 'Velden']],
    ['a column has no name', ['Name', '', 'Town'], ['Velden Brass', 'x', 'Velden']],
    ['what is below are numbers', ['Name', 'Seats', '', 'Town'], ['', '12', '80', '']],
    ['a group spans one column that has values', ['Name', 'Town'], ['', 'Velden']],
    ['values stand beside the header', ['Name'], ['Velden Brass', 'Velden']],
    ['there is one row', ['Name', '', 'Town'], []],
  ])('has one where %s', async (_, head, below) => {
    const found = await read(head, below);
    expect(found.header).toEqual(head);
    expect((found.rows[0] ?? []).slice(0, below.length)).toEqual(below);
  });
});
