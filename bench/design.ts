import type { Connection } from 'mysql2/promise';
import { demoPlans } from '../demo/plans';
import { heldType } from '../src/core/plan/held';
import { planSchema, type Plan, type Section } from '../src/core/plan/schema';
import { renameField } from '../src/core/plan/rename';
import type { House } from '../src/core/table/definition';
import { examine } from '../src/core/wiring/examine';
import { wireForm } from '../src/core/wiring/form';
import { drawWiring } from '../src/core/wiring/picture';
import { loadTables, tableFrom } from '../src/server/catalog/tables';
import { endDatabase, openDatabase } from '../src/server/database/connection';
import { findDependencies } from '../src/server/records/dependencies';
import { compare } from './measure';

/** What the design page works out at each change, and the search for dependencies in the data. */
export async function design({ connection }: { connection: Connection }): Promise<void> {
  const db = openDatabase(process.env.UNISOR_DATABASE_URL ?? '');
  try {
    const tables = await loadTables(db);
    const wide = widePlan(300, tables);
    const wrong = examine(wide, tables).filter((f) => f.field !== null && f.level === 'problem');
    if (wrong.length > 0) throw new Error(`the plan has ${wrong.length} problems`);
    const parse = async () => planSchema.parse(wide);
    await compare({
      name: 'checkup',
      sizes: '300 fields with their formulas, against validating the plan document',
      runs: 30,
      ours: async () => examine(wide, tables),
      reference: parse,
    });
    const form = wireForm(wide, tables);
    await compare({
      name: 'wiring-layout',
      sizes: `300 fields, ${drawWiring(form).lines.length} lines, against validating the plan document`,
      runs: 30,
      ours: async () => drawWiring(form),
      reference: parse,
    });
    const score = tableFrom(tables, 'score');
    const keys = score.columns.map((c) => c.key);
    await compare({
      name: 'dependencies',
      sizes: `60,000 scores, ${keys.length} columns, against a count for each column and each pair`,
      runs: 3,
      ours: () => findDependencies(db, tables, score),
      reference: async () => {
        for (const key of keys) {
          await connection.query(`select count(distinct ${key}) from unisor_records.score`);
        }
        for (const [i, a] of keys.entries()) {
          for (const b of keys.slice(i + 1)) {
            await connection.query(`select count(distinct ${a}, ${b}) from unisor_records.score`);
          }
        }
      },
    });
  } finally {
    await endDatabase(db);
  }
}

/** A demo form, again and again, each copy with keys of its own. */
function widePlan(fields: number, tables: House): Plan {
  const demo = demoPlans.condition_report;
  if (!demo) throw new Error('no demo form');
  const sections: Section[] = [];
  for (let n = 0; sections.flatMap((s) => s.fields).length < fields; n++) {
    const keys = demo.sections.flatMap((s) => s.fields.map((f) => f.key));
    const copy = keys.reduce((plan, key) => renameField(plan, tables, key, `${key}_${n}`), demo);
    for (const section of copy.sections) {
      // Only the first copy is saved; the others hold what its columns would.
      const own = section.fields.map((f) =>
        n === 0 ? f : { ...f, savesTo: null, holds: heldType(copy, f, tables) },
      );
      sections.push({ ...section, key: `${section.key}_${n}`, fields: own });
    }
  }
  return { ...demo, sections, writes: [] };
}
