import { houseOf } from '../table/sources';
import { describe, expect, it } from 'vitest';
import { demoPlans } from '../../../demo/plans';
import { column, reference, table } from '../../../tests/support/definitions';
import { plainGrid } from '../plan/draft';
import { renameField } from '../plan/rename';
import { type Plan } from '../plan/schema';
import { scopesOf } from '../plan/scopes';
import type { ValueType } from '../values/types';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import { Entry } from './entry';
import { compareChanges, conflictKey, merged } from './merge';
import { type OpenedRecord } from './stored';
import { openedBeginning } from './beginning';
import { writePlan } from './write-plan';

const rate: ValueType = { kind: 'decimal', precision: 6, scale: 2 };
const tables = houseOf(
  [
    table('region', [column('name')]),
    table('town', [column('name'), reference('region')]),
    table('ensemble', [
      column('name'),
      column('member_code'),
      column('contact'),
      column('weekly_rate', { type: rate }),
      reference('town'),
    ]),
  ].map((one) => [one.key, one]),
);
const plan = demoPlans.region as Plan;
const form = wireForm(plan, tables);
const findings = (of: Plan) =>
  examine(of, tables)
    .filter(({ level }) => level === 'problem')
    .map(({ problem }) => problem.code);

const opened = (): OpenedRecord => ({
  stored: { id: 1, version: 1, values: { name: 'North' } },
  values: { name: 'North' },
  rows: {
    towns: [town(11, 'Farrow'), town(12, 'Lunnet')],
    ensembles: [player(101, 11, 'Brass', '4.00'), player(102, 11, 'Winds', '5.50')],
  },
});

function town(id: number, name: string) {
  return { stored: { id, version: 1, values: { name, region: 1 } }, values: { name } };
}

function player(id: number, of: number, name: string, rate: string) {
  const values = { name, member_code: `M${id}`, contact: null, weekly_rate: rate };
  return { stored: { id, version: 1, values: { ...values, town: of } }, values, of: `#${of}` };
}

const open = (record = opened()) => new Entry(form, openedBeginning(record));
const written = (entry: Entry) =>
  writePlan(entry).map(({ action, table, id, values }) => ({ action, table, id, values }));

describe('E8 a grid inside a grid', () => {
  it('is examined without a finding', () => {
    expect(form.findings).toEqual([]);
    expect(findings(plan)).toEqual([]);
  });

  it('gives each row its own rows, which it reads, and the form reads through it', () => {
    const entry = open();
    const [farrow, lunnet] = entry.rows('towns');
    expect(entry.rows('ensembles', farrow)).toHaveLength(2);
    expect(entry.rows('ensembles', lunnet)).toHaveLength(0);
    entry.addRow('ensembles', { values: { name: 'Choir' } }, undefined, lunnet);
    expect(entry.value('members', lunnet)).toBe(1);
    expect(entry.value('weekly', lunnet)).toBe('4.50');
    expect(entry.value('players')).toBe(3);
    const [brass] = entry.rows('ensembles', farrow);
    entry.set('weekly_rate', '6.00', null, brass);
    expect(entry.value('weekly', farrow)).toBe('11.50');
    expect(entry.value('weekly', lunnet)).toBe('4.50');
  });

  it('writes parents before children, links each, and takes the inner ones out first', () => {
    const entry = open();
    const [farrow, lunnet] = entry.rows('towns');
    const fresh = entry.addRow('towns', { values: { name: 'Oxley' } });
    entry.addRow('ensembles', { values: { name: 'Choir', member_code: 'C' } }, undefined, lunnet);
    entry.addRow('ensembles', { values: { name: 'Band', member_code: 'B' } }, undefined, fresh);
    if (farrow) entry.removeRow(farrow);
    expect(entry.rows('ensembles')).toHaveLength(2);
    expect(written(entry)).toEqual([
      { action: 'insert', table: 'town', id: null, values: { name: 'Oxley', region: 1 } },
      insertOf('Choir', 'C', 12),
      insertOf('Band', 'B', { madeBy: 0 }),
      { action: 'delete', table: 'ensemble', id: 101, values: {} },
      { action: 'delete', table: 'ensemble', id: 102, values: {} },
      { action: 'delete', table: 'town', id: 11, values: {} },
    ]);
  });

  it('is moved among the rows that stand beside it', () => {
    const entry = open();
    const [farrow, lunnet] = entry.rows('towns');
    entry.addRow('ensembles', { values: { name: 'Choir' } }, undefined, lunnet);
    const [brass, winds] = entry.rows('ensembles', farrow);
    if (brass) entry.moveRow(brass, 1);
    expect(entry.rows('ensembles', farrow)).toEqual([winds, brass]);
    expect(entry.rows('ensembles', lunnet)).toHaveLength(1);
  });

  it('begins again from a draft with every row where it stood', () => {
    const entry = open();
    const fresh = entry.addRow('towns', { values: { name: 'Oxley' } });
    entry.addRow('ensembles', { values: { name: 'Band' } }, undefined, fresh);
    const again = open();
    again.takeOver(entry.state());
    expect(again.state()).toEqual(entry.state());
    const oxley = again.rows('towns')[2];
    expect(again.rows('ensembles', oxley).map((row) => again.value('name', row))).toEqual(['Band']);
  });

  it('drops a row that stands in nothing', () => {
    const rows = { ensembles: [{ values: { name: 'Stray' }, of: 'nowhere' }] };
    const entry = new Entry(form, { mode: 'resumed', values: {}, rows });
    expect(entry.rows('ensembles')).toEqual([]);
  });

  it('names what is around it, also after a renaming', () => {
    const sections = plan.sections.map((s) =>
      s.key === 'ensembles'
        ? {
            ...s,
            fields: s.fields.map((f) =>
              f.key === 'contact' ? { ...f, computes: 'parent.name + parent.parent.name' } : f,
            ),
          }
        : s,
    );
    const renamed = renameField({ ...plan, sections }, tables, 'name', 'called');
    const contact = scopesOf(renamed)
      .find(({ key }) => key === 'ensembles')
      ?.fields.find(({ key }) => key === 'contact');
    expect(contact?.computes).toBe('parent.name + parent.parent.called');
    const wired = wireForm(renamed, tables);
    const entry = new Entry(wired, {
      mode: 'resumed',
      values: { called: 'North' },
      rows: {
        towns: [{ key: 't', values: { name: 'Farrow' } }],
        ensembles: [{ of: 't', values: {} }],
      },
    });
    expect(entry.value('contact', entry.rows('ensembles')[0])).toBe('FarrowNorth');
    entry.set('called', 'South');
    expect(entry.value('contact', entry.rows('ensembles')[0])).toBe('FarrowSouth');
  });

  it('is refused where it would stand three deep, or in lines that are not there', () => {
    const grid = { ...plainGrid('ensemble', 'town'), within: 'ensembles' };
    const third = { ...plan.sections[2], key: 'third', fields: [], grid } as Plan['sections'][0];
    for (const within of ['ensembles', 'nowhere']) {
      const deep = {
        ...plan,
        sections: [...plan.sections, { ...third, grid: { ...grid, within } }],
      };
      expect(findings(deep)).toContain('grid_within_missing');
    }
  });
});

describe('F4 two people at rows inside rows', () => {
  it('meet where one took out a row in which the other one added', () => {
    const entry = open();
    const [farrow] = entry.rows('towns');
    if (farrow) entry.removeRow(farrow);
    const now = opened();
    now.rows.ensembles?.push(player(103, 11, 'Choir', '1.00'));
    const { conflicts, elsewhere } = compareChanges(form, opened(), entry.state(), now);
    expect(conflicts).toEqual([{ grid: 'towns', id: 11, kind: 'left', fields: [] }]);
    expect(elsewhere).toEqual([]);
    const settled = (side: 'yours' | 'theirs') => {
      const sides = new Map([[conflictKey('towns', 11, ''), side]]);
      const again = open(now);
      again.takeOver(merged(form, opened(), entry.state(), now, sides));
      return again.rows('towns').length + again.rows('ensembles').length;
    };
    expect(settled('yours')).toBe(1);
    expect(settled('theirs')).toBe(5);
  });

  it('add a row again with what stands in it, where that was changed', () => {
    const entry = open();
    const [brass] = entry.rows('ensembles');
    entry.set('name', 'Brass Band', null, brass);
    const now = opened();
    now.rows.towns = (now.rows.towns ?? []).slice(1);
    now.rows.ensembles = [];
    const { conflicts } = compareChanges(form, opened(), entry.state(), now);
    expect(conflicts).toEqual([{ grid: 'towns', id: 11, kind: 'gone', fields: [] }]);
    const again = open(now);
    again.takeOver(merged(form, opened(), entry.state(), now, new Map()));
    expect(written(again).map(({ action, table }) => `${action} ${table}`)).toEqual([
      'insert town',
      'insert ensemble',
      'insert ensemble',
    ]);
  });
});

function insertOf(name: string, code: string, town: unknown) {
  const values = { name, member_code: code, contact: null, weekly_rate: '4.50', town };
  return { action: 'insert', table: 'ensemble', id: null, values };
}
