import {
  articles,
  Chance,
  conditionGrades,
  damageKinds,
  ensembleKinds,
  eras,
  firstNames,
  genres,
  instrumentParts,
  lastNames,
  loanPurposes,
  makers,
  namedTowns,
  regions,
  scoreForms,
  scoreJoints,
  scoreNouns,
  townBeginnings,
  townEndings,
  weekdays,
} from './names';

/** How large the demo is. There is half a movement more for each score. */
export interface DemoSize {
  scores: number;
  instruments: number;
  loans: number;
  reports: number;
  /** Filled checklists of halls. */
  sheets: number;
}

export const demoSize: DemoSize = {
  scores: 60_000,
  instruments: 2400,
  loans: 1200,
  reports: 600,
  sheets: 150,
};

/** As large as the largest house that is meant: a million scores, half as many movements more. */
export const largeDemo: DemoSize = { ...demoSize, scores: 1_000_000 };

export function makeTowns(): string[][] {
  const chance = new Chance('towns');
  const names = new Set(namedTowns.map(([town]) => town));
  const towns = namedTowns.map(([town, region]) => [town, region]);
  // The last region stays without a town.
  const settled = regions.slice(0, -1);
  for (const [i, region] of settled.entries()) {
    const wanted = i === 0 ? 12 : 14;
    while (towns.filter(([, at]) => at === region).length < wanted) {
      const name = chance.pick(townBeginnings) + chance.pick(townEndings);
      if (names.has(name)) continue;
      names.add(name);
      towns.push([name, region]);
    }
  }
  return towns;
}

export function makeEnsembles(towns: string[][]): string[][] {
  const chance = new Chance('ensembles');
  const ensembles: string[][] = [];
  const names = new Set<string>();
  const add = (town: string, kind: string, contact: string) => {
    const name = `${town} ${kind}`;
    if (names.has(name)) return;
    names.add(name);
    const letters = name
      .replace(/[a-z ]/g, '')
      .slice(0, 4)
      .toUpperCase();
    const code = `${letters}-${217 + ensembles.length}`;
    const mailbox = contact.split(' ')[0]?.toLowerCase();
    const domain = name.toLowerCase().replace(/[^a-z]+/g, '-');
    const phone = `555-01${String(chance.whole(0, 99)).padStart(2, '0')}`;
    const rate = (chance.whole(8, 36) * 0.05).toFixed(2);
    ensembles.push([name, code, town, contact, `${mailbox}@${domain}.example.org`, phone, rate]);
  };
  add('Velden', 'Town Winds', 'Odile Quist');
  // Velden has this one ensemble only; the last town has none.
  const others = towns.slice(1, -1).map(([town]) => town ?? '');
  while (ensembles.length < 420) {
    add(chance.pick(others), chance.pick(ensembleKinds), person(chance));
  }
  return ensembles;
}

export function* instruments(count: number, types: string[]): Iterable<string[]> {
  const chance = new Chance('instruments');
  for (let i = 1; i <= count; i++) {
    yield [
      `A-${String(i).padStart(5, '0')}`,
      chance.pick(types),
      chance.pick(makers),
      chance.pick(['', '', '1/2', '3/4', '4/4']),
      `${chance.pick(['K', 'M', 'R', 'T'])}${100_000 + i * 7}`,
      chance.pick(conditionGrades),
      `${chance.whole(120, 48_000)}.00`,
      chance.pick(['in store', 'in store', 'in store', 'on loan', 'in repair']),
    ];
  }
}

export function accessories(): string[][] {
  const chance = new Chance('accessories');
  const rows: string[][] = [];
  const seen = new Set<string>();
  const all = articles.flatMap(([category, article, gauges]) =>
    gauges.map((gauge) => ({ category, article, gauge })),
  );
  const add = ({ category, article, gauge }: (typeof all)[number]) => {
    const [pack, maker] = [chance.pick([1, 5, 10, 25]), chance.pick(makers)];
    const known = [article, gauge, pack, maker].join();
    if (seen.has(known)) return;
    seen.add(known);
    const price = (chance.whole(30, 900) * 0.1).toFixed(2);
    rows.push([category, article, gauge, String(pack), maker, price, String(chance.whole(0, 160))]);
  };
  all.forEach(add);
  while (rows.length < 360) add(chance.pick(all));
  return rows;
}

export function* scores(count: number): Iterable<string[]> {
  const chance = new Chance('scores');
  for (let i = 1; i <= count; i++) {
    yield [
      scoreCode(i),
      scoreTitle(chance),
      person(chance),
      chance.pick(eras),
      String(chance.whole(1, 6)),
      String(chance.whole(4, 220)),
    ];
  }
}

function scoreTitle(chance: Chance): string {
  const [form, noun] = [chance.pick(scoreForms), chance.pick(scoreNouns)];
  if (chance.whole(1, 5) === 1) return `${noun.replace(/^the /, '')} ${form}`;
  return `${form} ${chance.pick(scoreJoints)} ${noun}`;
}

/** Adds to each ensemble the days on which it rehearses. */
export function* rehearsing(ensembles: string[][]): Iterable<string[]> {
  const chance = new Chance('rehearsals');
  for (const ensemble of ensembles) {
    const days = [...new Set([chance.pick(weekdays), chance.pick(weekdays)])];
    const rehearsals = days.map((day) => ({ day, at: `${chance.whole(17, 20)}:30:00` }));
    yield [...ensemble, JSON.stringify(rehearsals)];
  }
}

/** What each ensemble plays: one genre to three. */
export function* played(ensembles: number): Iterable<[number, number]> {
  const chance = new Chance('genres');
  for (let i = 1; i <= ensembles; i++) {
    const plays = Array.from({ length: chance.whole(1, 3) }, () => chance.whole(1, genres.length));
    for (const genre of new Set(plays)) yield [i, genre];
  }
}

/** Loans, each with its lines: four on average. */
export function loans(
  size: DemoSize,
  ensembles: string[][],
): { loan: string[]; lines: string[][] }[] {
  const chance = new Chance('loans');
  const counts: Record<string, number> = {};
  return Array.from({ length: size.loans }, () => {
    const lent = chance.date('2024-01-08', '2026-10-30');
    const year = lent.slice(0, 4);
    counts[year] = (counts[year] ?? 0) + 1;
    const number = `L-${year}-${String(counts[year]).padStart(4, '0')}`;
    const weeks = chance.pick([4, 6, 8, 12]);
    const due = new Date(Date.parse(lent) + weeks * 7 * 86_400_000).toISOString().slice(0, 10);
    const [name = '', , , contact = '', , , rate = '0'] = chance.pick(ensembles);
    let total = 0;
    const lines = Array.from({ length: chance.whole(1, 7) }, () => {
      const copies = chance.whole(1, 20);
      // Hundredths, so that no binary fraction comes in.
      const cents = Math.round(Number(rate) * 100) * copies * weeks;
      const fee = weeks > 8 ? Math.round(cents * 0.9) : cents;
      total += fee;
      return [
        number,
        scoreCode(chance.whole(1, size.scores)),
        String(copies),
        (fee / 100).toFixed(2),
      ];
    });
    const purpose = chance.pick(loanPurposes);
    const loan = [
      number,
      name,
      String(weeks),
      (total / 100).toFixed(2),
      contact,
      purpose,
      lent,
      due,
      '',
    ];
    return { loan, lines };
  });
}

/** Every score was received once; a quarter went out, and most of what went out came back. */
export function* movements(scores: number): Iterable<string[]> {
  const chance = new Chance('movements');
  const received: number[] = [];
  for (let i = 1; i <= scores; i++) {
    received[i] = chance.whole(1, 10) * 4;
    const day = chance.date('2019-01-07', '2023-12-20');
    yield [scoreCode(i), 'received', String(received[i]), day];
  }
  for (let i = 0; i < scores / 4; i++) {
    const score = chance.whole(1, scores);
    const here = received[score] ?? 0;
    const quantity = chance.whole(0, here);
    const lent = chance.date('2024-01-08', '2026-06-30');
    const back = chance.date('2026-07-01', '2026-10-30');
    const lost = chance.whole(1, 40) === 1 ? Math.min(1, quantity) : 0;
    received[score] = here - lost;
    yield [scoreCode(score), 'lent', String(quantity), lent];
    yield [scoreCode(score), 'returned', String(quantity - lost), back];
  }
}

export function* reports(size: DemoSize): Iterable<string[]> {
  const chance = new Chance('reports');
  for (let i = 0; i < size.reports; i++) {
    const damage = chance.whole(1, 4) === 1;
    const value = chance.whole(120, 48_000);
    yield [
      `A-${String(chance.whole(1, size.instruments)).padStart(5, '0')}`,
      chance.date('2024-01-08', '2026-10-30'),
      person(chance),
      chance.pick(conditionGrades),
      damage ? 'yes' : 'no',
      damage ? chance.pick(damageKinds) : '',
      damage ? chance.whole(10, value / 2).toFixed(2) : '',
      `${value}.00`,
      damage ? 'Seen at the return of a loan.' : '',
    ];
  }
}

/** What is broken, of those reports that found damage: the same chances as theirs. */
export function* defects(size: DemoSize): Iterable<string[]> {
  const chance = new Chance('defects');
  let report = 0;
  for (const [, , , , damage] of reports(size)) {
    report++;
    if (damage !== 'yes') continue;
    const many = chance.whole(1, 4);
    for (let i = 0; i < many; i++) {
      yield [String(report), chance.pick(instrumentParts), chance.pick(damageKinds), ''];
    }
  }
}

function scoreCode(n: number): string {
  return `SC-${String(n).padStart(5, '0')}`;
}

function person(chance: Chance): string {
  return `${chance.pick(firstNames)} ${chance.pick(lastNames)}`;
}
