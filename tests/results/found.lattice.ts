import { type Condition, cell, dataFile, formatCondition, narrow, test, whereItFails } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { holds } from '../../src/results/where/condition.ts';

type Row = Record<string, unknown>;

const words = ['north', 'south', 'quay', 'urgent', 'late', 'tug', 'pilot', 'basin', 'crane', 'ferry', 'visit', 'repair'];
const parts = ['power', 'crane', 'water', 'pilot'];
const day = (number: number): string => new Date(Date.UTC(2031, 0, 1 + number)).toISOString().slice(0, 10);

/** A stay with columns of all kinds. Some columns are missing in some rows. */
function makeStay(random: Random): Row {
  const from = random.integer(0, 200);
  const row: Row = {
    hull: random.pick(['mono', 'cat', 'tri']),
    loa: random.integer(40, 200) / 8,
    limit: random.integer(6, 24),
    from: day(from),
    until: day(from + random.integer(-2, 12)),
    resident: random.integer(0, 1) === 1,
    guest: random.pick(['Ada', 'Ben', 'Stavros', 'Stine', 'Storm', 'Sue', 'Maximiliana']),
    note: Array.from({ length: random.integer(2, 5) }, () => random.pick(words)).join(' '),
    berth: random.pick([...'ABCDE']) + random.integer(1, 30),
    parts: random.shuffle(parts).slice(0, random.integer(0, 3)),
    stay: { nights: random.integer(1, 14), ...(random.integer(0, 3) > 0 && { class: random.pick(['a', 'b']) }) },
  };
  if (random.integer(0, 4) === 0) delete row['limit'];
  return row;
}

/** Conditions of each kind, that hold for some of the rows. */
function planted(random: Random): Condition {
  const low = random.integer(8, 14);
  return random.pick<Condition>([
    { kind: 'value', column: 'hull', value: random.pick(['mono', 'cat', 'tri']) },
    { kind: 'value', column: 'resident', value: random.integer(0, 1) === 1 },
    { kind: 'value', column: 'stay.class', value: 'b' },
    { kind: 'range', column: 'loa', from: low, to: low + random.integer(3, 6) },
    { kind: 'range', column: 'stay.nights', from: random.integer(8, 12) },
    { kind: 'missing', column: 'limit' },
    { kind: 'prefix', column: 'guest', prefix: 'St' },
  ]);
}

/** Rows from a seed, and which of them fail. */
function plantStays(seed: number): { random: Random; rows: Row[]; fails: (row: Row) => boolean } {
  const random = createRandom(`found ${seed}`);
  const rows = Array.from({ length: random.pick([40, 90, 160]) }, () => makeStay(random));
  const causes = Array.from({ length: random.integer(1, 2) }, () => Array.from({ length: random.integer(1, 2) }, () => planted(random)));
  const derived = random.integer(0, 12);
  const fails = (row: Row): boolean => {
    if (derived === 0) return String(row['until']) < String(row['from']);
    if (derived === 1) return String(row['note']).includes('urgent');
    if (derived === 2) return (row['parts'] as string[]).includes('pilot') && (row['loa'] as number) > 12;
    if (derived === 3) return (row['limit'] as number) < (row['loa'] as number);
    return causes.some((conditions) => conditions.every((condition) => holds(condition, row)));
  };
  return { random, rows, fails };
}

/** The causes that are found if some other rows fail, too. */
function find(seed: number): string {
  const { random, rows, fails } = plantStays(seed);
  const noise = random.pick([0, 0.02, 0.05]);
  const found = whereItFails(rows.map((row) => ({ row, failed: fails(row) || random.real(0, 1) < noise })));
  const texts = found.causes.map(({ conditions, failing, cases }) => `${conditions.map(formatCondition).join(' & ')}: ${failing} of ${cases}`);
  return [...texts, `elsewhere ${found.elsewhere.failing} of ${found.elsewhere.cases}`].join('; ');
}

/** The causes that are found by trying more rows, of which some are not possible, and the number of rows tried. */
function narrowDown(seed: number): string {
  const { rows, fails } = plantStays(seed);
  const search = narrow(
    rows.map((row) => ({ row, failed: fails(row) })),
    { seed, budget: 60 },
  );
  let tried = 0;
  let step = search.next();
  for (; !step.done; tried++) step = search.next(String(step.value['until']) < '2031-01-15' ? undefined : fails(step.value));
  const texts = step.value.causes.map(({ conditions, smallest, isProven }) =>
    [
      conditions.map(formatCondition).join(' & '),
      ...smallest.map(({ value }) => `smallest ${JSON.stringify(value)}`),
      ...(isProven ? [] : ['not proven']),
    ].join(', '),
  );
  return [...texts, `${step.value.unexplained.length} unexplained`, `${tried} tried`].join('; ');
}

/** Searches rows with missing values that fail for combinations of one to five columns, or at random. Some rows are not possible. */
function narrowNames(seed: number): string {
  const random = createRandom(`names ${seed}`);
  const columns = Array.from({ length: random.integer(3, 8) }, (_, i) => `c${i}`);
  const levels = columns.map(() => random.integer(2, 4));
  const makeRow = (): Row =>
    Object.fromEntries(columns.flatMap((column, i) => (random.integer(0, 9) ? [[column, 'wxyz'[random.integer(1, levels[i] as number) - 1]]] : [])));
  const rows = Array.from({ length: random.pick([8, 20, 60]) }, makeRow);
  const [isAny, chance, budget] = [random.integer(0, 3) === 0, random.pick([0, 0, 0, 0.05]), random.pick([2, 5, 10, 20, 40, 200])];
  const causes = Array.from({ length: random.integer(1, 2) }, () => {
    const row = random.pick(rows);
    return random
      .shuffle(columns)
      .slice(0, random.integer(1, 5))
      .map((column, i) => ({ column, value: isAny && i === 0 ? 'any' : row[column] }));
  });
  const forbidden = { column: random.pick(columns), value: random.pick(['w', 'none', 'none']) };
  const meets = (row: Row): boolean => causes.some((cause) => cause.every(({ column, value }) => (value === 'any' ? column in row : row[column] === value)));
  const given = rows.filter((row) => row[forbidden.column] !== forbidden.value).map((row) => ({ row, failed: meets(row) || random.real(0, 1) < chance }));
  const varied = random.integer(0, 3) === 0 ? columns.slice(1) : undefined;
  const search = narrow(given, { seed, budget, ...(varied && { columns: varied }) });
  const tried: string[] = [];
  let step = search.next();
  for (; !step.done; step = search.next(step.value[forbidden.column] === forbidden.value ? undefined : meets(step.value) || random.real(0, 1) < chance))
    tried.push(columns.map((column) => (step.value && (step.value as Row)[column]) ?? '-').join(''));
  const texts = step.value.causes.map(
    ({ conditions, isProven, failed, cases, passedWithout, casesWithout }) =>
      `${conditions.map(formatCondition).join(' & ')} ${failed}/${cases} ${passedWithout}/${casesWithout}${isProven ? '' : ' not proven'}`,
  );
  const reasons = step.value.unexplained.map(({ reason }) => reason);
  return [
    ...texts,
    ...new Set(reasons.map((reason) => `${reasons.filter((one) => one === reason).length} ${reason}`)),
    `tried ${tried.length}: ${tried.slice(0, 12).join(' ')}`,
  ].join('; ');
}

export const names = test(
  'the combinations that are narrowed down are those of the last version: seed {seed}',
  { timeout: 30_000, cases: dataFile('narrowed.csv', { columns: { seed: cell.integer, narrowed: cell.text } }) },
  ({ row: { seed }, check }) => void check.columns({ narrowed: narrowNames(seed) }),
);

/** A change of the searches that finds other causes changes this file: look whether they are better before you accept them. */
export const found = test(
  'the causes that are found are those of the last version: seed {seed}',
  {
    timeout: 30_000,
    cases: dataFile('found.csv', { columns: { seed: cell.integer, found: cell.text, narrowed: cell.text } }),
  },
  ({ row: { seed }, check }) => void check.columns({ found: find(seed), narrowed: narrowDown(seed) }),
);
