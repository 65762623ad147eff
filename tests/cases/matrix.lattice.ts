import { type CaseSource, cell, dataFile, type MatrixOptions, matrix, namedRows, range, suite, table, test, verifyCoverage } from 'red-lattice';
import { parseAxes } from '../../src/cases/matrix/axes.ts';
import { Combinations } from '../../src/cases/matrix/combinations.ts';
import { Constraints } from '../../src/cases/matrix/constraints.ts';
import { summarizeMatrix } from '../../src/cases/matrix/facts.ts';
import { Orbits } from '../../src/cases/matrix/orbits.ts';
import { createRandom } from '../../src/cases/random.ts';
import { refusal } from '../inner.ts';

type Row = Record<string, number>;
type Axes = Record<string, number[]>;
type Options = MatrixOptions<Row>;

async function collect<T extends object>(source: CaseSource<T>): Promise<T[]> {
  const all: T[] = [];
  for await (const row of source) all.push(row);
  return all;
}

/** Small axes with some exclusions of both kinds, from a seed. */
function model(seed: number): { axes: Axes; options: Options } {
  const random = createRandom(`model ${seed}`);
  const names = ['a', 'b', 'c', 'd', 'e'].slice(0, random.integer(2, 5));
  const axes = Object.fromEntries(names.map((name) => [name, Array.from({ length: random.integer(1, 4) }, (_, i) => i)]));
  const value = (name: string): number => random.pick(axes[name] as number[]);
  const some = (count: number): string[] => random.shuffle(names).slice(0, count);
  const forbidden = Array.from({ length: random.integer(0, 4) }, () =>
    Object.fromEntries(some(random.integer(1, 3)).map((name) => [name, random.integer(0, 1) ? value(name) : [value(name), value(name)]])),
  );
  const predicates = Array.from({ length: random.integer(0, 2) }, () => ({ reads: some(2), sum: random.integer(1, 5) }));
  const cover = random.integer(1, Math.min(3, names.length));
  const except: Options['exclude'] = (never) => [
    ...forbidden,
    ...predicates.map(({ reads, sum }) => never(reads, (row) => reads.reduce((total, name) => total + (row[name] as number), 0) === sum)),
  ];
  return { axes, options: { strength: cover, exclude: except, seed, effort: seed <= 5 ? 'thorough' : 'quick' } };
}

/** All complete rows that can occur, by trying every one. */
function possibleRows(axes: Axes, except: Options['exclude']): Row[] {
  let rows: Row[] = [{}];
  for (const [name, values] of Object.entries(axes)) rows = rows.flatMap((row) => values.map((value) => ({ ...row, [name]: value })));
  const rules = typeof except === 'function' ? except((reads, when) => ({ reads, when }) as never) : (except ?? []);
  return rows.filter((row) =>
    (rules as readonly any[]).every((rule) =>
      rule.when ? !rule.when(row) : !Object.entries(rule).every(([name, wanted]) => [wanted].flat().includes(row[name] as number)),
    ),
  );
}

/** The combinations of any `cover` axes that are in some row, as texts. */
function standing(rows: readonly Row[], names: readonly string[], cover: number): Set<string> {
  const found = new Set<string>();
  const walk = (row: Row, from: number, chosen: string[]): void => {
    if (chosen.length === cover) found.add(chosen.map((name) => `${name}=${row[name]}`).join());
    else for (let i = from; i < names.length; i++) walk(row, i + 1, [...chosen, names[i] as string]);
  };
  for (const row of rows) walk(row, 0, []);
  return found;
}

/** Whether a model has rows, and more axes than its strength. */
function canLocate(seed: number): boolean {
  const { axes, options } = model(seed);
  return (options.strength as number) < Object.keys(axes).length && possibleRows(axes, options.exclude).length > 0;
}

const manyAxes = (count: number): Record<string, number[]> => Object.fromEntries(Array.from({ length: count }, (_, i) => [`a${i + 1}`, [1, 2]]));

export const apart = test('different exclusions have different cache keys', ({ check }) => {
  const axes = parseAxes({ a: [0, 1], b: [0, 1, 2], c: [0, 1, 2, 3] });
  const texts = axes.values.flatMap((_, i) =>
    (axes.values[0] ?? []).flatMap((a) => (axes.values[2] ?? []).map((c) => new Constraints(axes, [{ a, c, ...(i === 1 && { b: 2 }) }]).serialize())),
  );
  check.equal(new Set(texts).size, 16, 'eight of two axes, eight of three');
  check.equal(new Constraints(axes, [{ a: 1, c: [3, 0] }]).serialize(), new Constraints(axes, [{ a: [1], c: [0, 3] }]).serialize());
});

export const mistaken = test('verifyCoverage rejects a case source instead of rows', ({ check }) => {
  const error = check.throws(() => verifyCoverage({ a: [1] }, matrix({ a: [1] }) as never)) as Error | undefined;
  check.equal(error?.message, 'verifyCoverage: `rows` is an object; expected an iterable of rows');
});

/** An axis of one value and one of many. All combinations are excluded, which takes as many tries as there are values, and one. */
const hopeless = (values: number) => ({
  axes: { a: [1], b: Array.from({ length: values }, (_, i) => i) } as Axes,
  options: { strength: 1, exclude: (never) => [never(['a', 'b'], () => true)] } satisfies Options as Options,
});

export const undecidable = test('verifyCoverage requires a combination that it cannot decide only if a row has it: {values} values, {given}', {
  cases: table(['values', 'given', 'undecided', 'required'], [
    [99_999, [], 0, 0],
    [100_000, [], 1, 0],
    [100_000, [{ a: 1, b: 1 }], 1, 1],
  ] as const),
}, ({ row, check }) => {
  const { axes, options } = hopeless(row.values);
  const found = verifyCoverage(axes, row.given as readonly Row[], options);
  check.equal(found, { required: row.required, missing: [], wrong: [...row.given], undecided: row.undecided, indistinct: [] });
});

export const foreign = test('verifyCoverage reports rows with values that are not on their axis, at any strength', ({ check }) => {
  const axes: Axes = { a: [1, 2], b: [1] };
  const rows = [{ a: 1, b: 1 }, { a: 3, b: 1 }, { a: 1 } as unknown as Row];
  const said = { required: 2, missing: [{ a: 2, b: 1 }], wrong: rows.slice(1), undecided: 0, indistinct: [] };
  check.equal([verifyCoverage(axes, rows), verifyCoverage(axes, rows, { strength: 'all' })], [said, said]);
  check.throws(() => verifyCoverage(axes, rows, { exclude: [{ hul: 1 }] }), /^exclude: unknown axis `hul`; known: `a`, `b`$/);
  check.throws(() => verifyCoverage(axes, rows, { mixedStrength: [{ axes: ['hul'], strength: 1 }] }), /^mixedStrength: unknown axis `hul`/);
});

export const summaries = test('the summary of a matrix is: {text}', {
  cases: dataFile('summaries.yaml'),
}, ({ row, check }) => {
  const { options, found, text, warns = '' } = row as { options?: object; found?: object | null; text?: string; warns?: string };
  const levels = [
    [0, 0, 0],
    [0, 1, 1],
    [1, 0, 1],
    [1, 1, 0],
  ];
  const axes = parseAxes({ a: [1, 2], b: [1, 2], c: [1, 2] });
  const { summary, warnings } = summarizeMatrix(axes, options ?? {}, found === null ? undefined : { rows: levels, ...found });
  check.equal([summary, warnings.map(({ code }) => code).join()], [text as string, warns]);
});

export const undecidedSummary = test('the summary of a matrix warns of combinations that are not known to be possible: {unknown} of {values} values', {
  cases: table(
    ['values', 'unknown'],
    [
      [99_999, 0],
      [100_000, 1],
    ],
  ),
}, ({ row, check }) => {
  const { axes, options } = hopeless(row.values);
  const { summary, warnings } = summarizeMatrix(parseAxes(axes), options as never, { rows: [] });
  check.matches(summary, /^0 rows for [\d,]+ combinations; every value of values is covered \(0 of 0\)$/);
  check.equal(warnings.map((warning) => (warning.code === 'feasibility-unknown' ? warning.count : 0)).filter(Boolean), row.unknown === 0 ? [] : [row.unknown]);
});

export const covering = suite('a covering matrix', [
  test('of random axes covers all feasible combinations, and nothing else: seed {seed}', { cases: range('seed', 1, 150) }, async ({
    row: { seed },
    check,
    log,
    skip,
  }) => {
    const { axes, options } = model(seed);
    const possible = possibleRows(axes, options.exclude);
    log(axes, options.strength, `${possible.length} rows can occur`);
    if (possible.length === 0) {
      check.includes(await refusal(() => [test('t', { cases: matrix(axes, options) }, () => {})]), 'leaves no possible combination');
      return;
    }
    const rows = await collect(matrix(axes, options));
    const names = Object.keys(axes);
    const cover = options.strength as number;
    // A third way to compute it: required combinations are those in a row that can occur.
    const owed = standing(possible, names, cover);
    check.equal(standing(rows, names, cover), owed);
    check.holds(
      rows.every((one) => possible.some((other) => names.every((name) => other[name] === one[name]))),
      'every row can occur',
    );
    check.equal(verifyCoverage(axes, rows, options), { required: owed.size, missing: [], wrong: [], undecided: 0, indistinct: [] });
    const thinned = rows.filter((_, i) => i % 2 === 0);
    const lost = [...owed].filter((combination) => !standing(thinned, names, cover).has(combination));
    check.equal(
      new Set(
        verifyCoverage(axes, thinned, options).missing.map((one) =>
          Object.entries(one)
            .map(([name, value]) => `${name}=${value}`)
            .join(),
        ),
      ),
      new Set(lost),
    );
    check.equal(await collect(matrix(axes, options)), rows, 'the same seed, the same rows');
    if (rows.length > 100) skip('too many to be worth it');
  }),

  test('of random axes locates the only combination that fails: seed {seed}', { cases: range('seed', 1, 60).filter(({ seed }) => canLocate(seed)) }, async ({
    row: { seed },
    check,
  }) => {
    const { axes, options } = model(seed);
    const possible = possibleRows(axes, options.exclude);
    const strength = options.strength as number;
    const located = { ...options, locate: 1 } as const;
    const rows = await collect(matrix(axes, located));
    const names = Object.keys(axes);
    check.equal(verifyCoverage(axes, rows, located), { ...verifyCoverage(axes, rows, options), missing: [], wrong: [], indistinct: [] });
    // Computed plainly: combinations that are in the same rows are in the same ones of all possible rows.
    const rowsOf = (all: readonly Row[], combination: string): string =>
      all.flatMap((row, i) => (combination.split(',').every((part) => `${row[part.split('=')[0] as string]}` === part.split('=')[1]) ? [i] : [])).join();
    const combinations = Array.from({ length: strength }, (_, i) => [...standing(possible, names, i + 1)]).flat();
    const inAll = new Map<string, string>();
    for (const combination of combinations) {
      const key = rowsOf(rows, combination);
      const own = rowsOf(possible, combination);
      check.equal(inAll.get(key) ?? own, own);
      inAll.set(key, own);
    }
    check.equal(await collect(matrix(axes, located)), rows, 'the same seed, the same rows');
  }),

  test('of random axes locates one or two combinations that fail: seed {seed}', { cases: range('seed', 1, 25).filter(({ seed }) => canLocate(seed)) }, async ({
    row: { seed },
    check,
  }) => {
    const { axes, options } = model(seed);
    const possible = possibleRows(axes, options.exclude);
    const names = Object.keys(axes);
    const located = { ...options, locate: 2 } as const;
    const rows = await collect(matrix(axes, located));
    check.equal(verifyCoverage(axes, rows, located), { ...verifyCoverage(axes, rows, options), missing: [], wrong: [], indistinct: [] });
    // Computed plainly: sets that are met by the same rows are met by the same ones of all possible rows.
    const combinations = Array.from({ length: options.strength as number }, (_, i) => [...standing(possible, names, i + 1)]).flat();
    const membersOf = (all: readonly Row[]): boolean[][] =>
      combinations.map((combination) =>
        all.map((row) => combination.split(',').every((part) => `${row[part.split('=')[0] as string]}` === part.split('=')[1])),
      );
    const [inRows, inPossible] = [membersOf(rows), membersOf(possible)];
    const unite = (all: boolean[][], i: number, j: number): string => all[i]?.map((has, row) => Number(has || all[j]?.[row])).join('') as string;
    const inAll = new Map<string, string>();
    const mixed: string[] = [];
    for (let i = 0; i < combinations.length; i++) {
      for (let j = i; j < combinations.length; j++) {
        const [key, own] = [unite(inRows, i, j), unite(inPossible, i, j)];
        if ((inAll.get(key) ?? own) !== own) mixed.push(`${combinations[i]} | ${combinations[j]}`);
        inAll.set(key, own);
      }
    }
    check.equal(mixed, []);
  }),

  test('a matrix that locates covers the last combination, too: axes of {counts} values', {
    cases: table(
      ['counts', 'seed', 'strength'],
      [
        [[3, 4, 4], 50, 1],
        [[4, 2, 4, 3, 3], 590, 2],
        [[2, 3, 4, 2, 3], 173, 2],
      ],
    ),
  }, async ({ row: { counts, seed, strength }, check }) => {
    const axes = Object.fromEntries(counts.map((count, i) => ['abcde'[i] as string, Array.from({ length: count }, (_, value) => value)]));
    const rows = await collect(matrix(axes, { strength, seed, locate: 1 }));
    const { missing, indistinct } = verifyCoverage(axes, rows, { strength, locate: 1 });
    check.equal([missing, indistinct], [[], []]);
  }),

  test('reports sets of two that are in the same rows', async ({ check }) => {
    const axes = { a: [1, 2, 3], b: [1, 2, 3], c: [1, 2, 3], d: [1, 2, 3] };
    const rows = await collect(matrix(axes, { strength: 2, locate: 1 }));
    check.equal(verifyCoverage(axes, rows, { strength: 2, locate: 1 }).indistinct, []);
    const { indistinct } = verifyCoverage(axes, rows, { strength: 2, locate: 2 });
    check.holds(indistinct.length > 0 && indistinct.every((pair) => pair.some((set) => set.length === 2)));
  }),

  test('reports combinations that are in the same rows', ({ check }) => {
    const axes = { a: [1, 2], b: ['x', 'y'], c: [true, false] };
    const rows = [
      { a: 1, b: 'x', c: true },
      { a: 2, b: 'y', c: true },
      { a: 2, b: 'x', c: false },
      { a: 1, b: 'y', c: false },
    ];
    const { missing, indistinct } = verifyCoverage(axes, rows, { strength: 2, locate: 1 });
    check.equal(missing, []);
    // Each row has three pairs that no other has.
    check.equal(indistinct.length, 8);
    check.includes(indistinct, [[{ a: 1, b: 'x' }], [{ a: 1, c: true }]]);
    // Values of a and b that only occur together are not reported, since no row has one of them alone.
    check.equal(
      verifyCoverage(
        { a: [1, 2], b: ['x', 'y'] },
        [
          { a: 1, b: 'x' },
          { a: 2, b: 'y' },
        ],
        {
          strength: 1,
          locate: 1,
          exclude: [
            { a: 1, b: 'y' },
            { a: 2, b: 'x' },
          ],
        },
      ).indistinct,
      [],
    );
  }),

  test('contains required rows, and covers a group with a higher strength', async ({ check }) => {
    const axes = { a: [1, 2, 3], b: [1, 2, 3], c: [1, 2, 3], d: [1, 2, 3] };
    const options = {
      strength: 2,
      mixedStrength: [{ axes: ['a', 'b', 'c'], strength: 3 }],
      include: [
        { a: 3, d: 1 },
        { a: 1, b: 1, c: 1, d: 1 },
      ],
    } as const;
    const rows = await collect(matrix(axes, options));
    check.holds(rows.some((row) => row.a === 3 && row.d === 1));
    check.equal(rows[1], { a: 1, b: 1, c: 1, d: 1 });
    check.equal(verifyCoverage(axes, rows, options).missing, []);
    check.holds(rows.length >= 27 && rows.length < 60, `${rows.length} rows`);
  }),

  test('contains the rows of `include` after reduction: seed {seed}', { cases: range('seed', 1, 12) }, async ({ row, check }) => {
    const random = createRandom(`include ${row.seed}`);
    const names = Array.from({ length: random.integer(3, 6) }, (_, i) => `a${i}`);
    const axes = Object.fromEntries(names.map((name) => [name, Array.from({ length: random.integer(2, 4) }, (_, i) => i)]));
    const partial = (): Record<string, number> =>
      Object.fromEntries(names.flatMap((name) => (random.integer(0, 2) === 0 ? [] : [[name, random.pick(axes[name] as number[])]])));
    const include = Array.from({ length: random.integer(1, 6) }, partial);
    const rows = await collect(matrix(axes, { strength: 2, include, effort: random.pick(['quick', 'thorough']), seed: row.seed }));
    check.equal(
      include.filter((wanted) => !rows.some((one) => Object.entries(wanted).every(([name, value]) => one[name] === value))),
      [],
    );
    check.equal(verifyCoverage(axes, rows, { strength: 2 }).missing, []);
  }),

  test('contains the rows of `include` alone if they cover everything', async ({ check }) => {
    const include = [
      { a: 1, b: 1 },
      { a: 2, b: 2 },
      { a: 1, b: 2 },
      { a: 2, b: 1 },
    ] as const;
    for (const effort of ['quick', 'thorough'] as const)
      check.equal<readonly object[]>(await collect(matrix({ a: [1, 2], b: [1, 2] }, { strength: 1, effort, include })), include);
  }),

  test('reports rows with an excluded combination', ({ check }) => {
    const wrong = verifyCoverage(
      { a: [1, 2], b: ['x', 'y'] },
      [
        { a: 1, b: 'x' },
        { a: 2, b: 'y' },
      ],
      { strength: 2, exclude: [{ a: 2, b: 'y' }] },
    );
    check.equal(wrong, {
      required: 3,
      missing: [
        { a: 1, b: 'y' },
        { a: 2, b: 'x' },
      ],
      wrong: [{ a: 2, b: 'y' }],
      undecided: 0,
      indistinct: [],
    });
  }),
]);

export const constructed = test('{axes} axes of {levels} values are covered at strength {cover} in at most {most} rows', {
  timeout: 60_000,
  cases: dataFile('covering.csv', { columns: { axes: cell.integer, levels: cell.integer, cover: cell.integer, most: cell.integer } }),
}, async ({ row: { axes, levels, cover, most }, check }) => {
  const model = Object.fromEntries(Array.from({ length: axes }, (_, axis) => [`a${axis}`, Array.from({ length: levels }, (_, level) => level)]));
  const rows = await collect(matrix(model, { strength: cover }));
  const { missing, wrong } = verifyCoverage(model, rows, { strength: cover });
  check.equal([missing.length, wrong.length], [0, 0]);
  check.holds(rows.length <= most, `${rows.length} rows`);
});

export const losses = test('the loss of a change is computed up to a limit: seed {seed}', { cases: range('seed', 1, 40) }, ({ row, check }) => {
  const random = createRandom(`losses ${row.seed}`);
  const levels = Array.from({ length: random.integer(3, 6) }, () => random.integer(2, 4));
  const combinations = new Combinations(levels, [{ axes: levels.map((_, axis) => axis), strength: random.integer(2, 3) }]);
  const rows = Array.from({ length: random.integer(1, 20) }, () => levels.map((count) => random.integer(0, count - 1)));
  for (const one of rows) combinations.count(one, 1);
  for (let step = 0; step < 30; step++) {
    const [one, axis] = [random.pick(rows), random.integer(0, levels.length - 1)];
    const level = random.integer(0, (levels[axis] as number) - 1);
    if (one[axis] === level) continue;
    const before = combinations.uncoveredCount;
    const bounded = Array.from({ length: 12 }, (_, most) => combinations.coverageLoss(one, axis, level, most - 4));
    combinations.change(one, axis, level);
    const loss = combinations.uncoveredCount - before;
    for (const [at, found] of bounded.entries()) check.holds(loss <= at - 4 ? found === loss : found > at - 4, `${loss} beside ${at - 4}: ${found}`);
  }
});

export const orbits = test('images of rows contain the combinations of their orbits: seed {seed}', { cases: range('seed', 1, 40) }, ({ row, check }) => {
  const random = createRandom(`orbits ${row.seed}`);
  const [axes, levels, strength] = [random.integer(3, 5), random.integer(3, 5), random.integer(2, 3)];
  const shifted = Array.from({ length: levels - random.integer(0, 1) }, (_, level) => level);
  const fixed = Array.from({ length: levels }, (_, level) => level).slice(shifted.length);
  const group = shifted.map((by) => [...shifted.map((level) => (level + by) % shifted.length), ...fixed]);
  const orbits = new Orbits(axes, levels, strength, group);
  const rows = Array.from({ length: random.integer(1, 12) }, () => Array.from({ length: axes }, () => random.integer(0, levels - 1)));
  for (const one of rows) orbits.count(one, 1);
  for (let step = 0; step < 20; step++) {
    const [one, axis, level] = [random.pick(rows), random.integer(0, axes - 1), random.integer(0, levels - 1)];
    if (one[axis] === level) continue;
    const loss = orbits.coverageLoss(one, axis, level);
    const expected = orbits.uncoveredCount + loss;
    for (let most = -3; most <= 6; most++) {
      const found = orbits.coverageLoss(one, axis, level, most);
      check.holds(loss <= most ? found === loss : found > most, `${loss} beside ${most}: ${found}`);
    }
    orbits.change(one, axis, level);
    check.equal(orbits.uncoveredCount, expected, 'the loss is what is lost');
  }
  const names = Array.from({ length: axes }, (_, axis) => `a${axis}`);
  const all = Array.from({ length: levels ** axes }, (_, code) => names.map((_, axis) => Math.floor(code / levels ** axis) % levels));
  const named = (list: readonly (readonly number[])[]): Row[] => list.map((one) => Object.fromEntries(names.map((name, axis) => [name, one[axis] as number])));
  const held = standing(named(rows.flatMap((one) => group.map((permutation) => one.map((level) => permutation[level] as number)))), names, strength);
  const isLeftOut = (combination: string): boolean => [...combination.matchAll(/=(\d+)/g)].every(([, level]) => fixed.includes(Number(level)));
  const missing = [...standing(named(all), names, strength)].filter((combination) => !held.has(combination) && !isLeftOut(combination));
  const open = Array.from({ length: orbits.uncoveredCount }, (_, place) => orbits.countAssignments(orbits.getUncovered(place)).ways.length);
  check.equal(
    open.reduce((sum, ways) => sum + ways, 0),
    missing.length,
  );
});

export const noNumber = test('NaN can be a value of an axis', async ({ check }) => {
  const axes = { amount: [0, Number.NaN, 2], hull: ['mono', 'cat'], power: [true, false] };
  const options = { strength: 2, exclude: [{ amount: Number.NaN, hull: 'cat' }], include: [{ amount: Number.NaN, power: true }] };
  const rows = await collect(matrix(axes, options));
  check.equal(verifyCoverage(axes, rows as never, options), { required: 3 * 2 + 3 * 2 + 2 * 2 - 1, missing: [], wrong: [], undecided: 0, indistinct: [] });
  check.equal(new Set(rows.filter(({ amount }) => Number.isNaN(amount)).map(({ hull }) => hull)), new Set(['mono']));
});

export const whole = test('a matrix without a strength yields every feasible combination lazily', async ({ check }) => {
  const rows = await collect(matrix({ hull: ['mono', 'cat', 'tri'], loa: [6, 9] }, { exclude: [{ hull: 'tri', loa: 6 }] }));
  check.equal(rows, [
    { hull: 'mono', loa: 6 },
    { hull: 'mono', loa: 9 },
    { hull: 'cat', loa: 6 },
    { hull: 'cat', loa: 9 },
    { hull: 'tri', loa: 9 },
  ]);
  const ten = Array.from({ length: 10 }, (_, i) => i);
  const huge = matrix({ a: ten, b: ten, c: ten, d: ten, e: ten, f: ten, g: ten, h: ten, i: ten, j: ten });
  let count = 0;
  for await (const _ of huge) if (++count === 5) break;
  check.equal(count, 5);
});

export const refused = test('an invalid matrix is rejected: {says}', { cases: dataFile('refused-matrices.yaml') }, async ({ row, check }) => {
  const { axes, options } = row as unknown as { axes: Axes; options?: Options };
  check.equal(await refusal(() => [test('t', { cases: matrix(axes, options) }, () => {})]), row['says'] as string);
});

export const refusedLarge = test(
  'a matrix that is too large, or has an invalid condition, is rejected: {says}',
  {
    cases: namedRows<{ says: string; make: () => CaseSource<any> }>({
      'too many combinations': {
        says: 'strength 4 for 70 axes requires 14,670,320 combinations; the limit is 10,000,000. Lower `strength`, and list the axes that matter most in `mixedStrength`.',
        make: () => matrix(manyAxes(70), { strength: 4 }),
      },
      'too much to locate': {
        says: '`locate: 1` has 64,000,000 combinations to distinguish; the limit is 40,000,000. Lower `strength`, or find causes with `red-lattice narrow`.',
        make: () => matrix(manyAxes(200), { strength: 3, locate: 1 }),
      },
      'locate two in a matrix that is too large for it': {
        says: '`locate: 2` has 1,620,900 combinations and pairs of combinations to distinguish; the limit is 1,000,000. Use `locate: 1`, or find causes with `red-lattice narrow`.',
        make: () => matrix(manyAxes(30), { strength: 2, locate: 2 }),
      },
      'a predicate of an unknown axis': {
        says: 'exclude: unknown axis `hul`; did you mean `hull`?',
        make: () => matrix({ hull: ['cat'] }, { exclude: (never) => [never(['hul' as never], () => false)] }),
      },
      'a condition without its axes': {
        says: "matrix: `exclude` is not an array of combinations; write a condition as exclude: (never) => [never(['a'], ({ a }) => …)]",
        make: () => matrix({ a: [1, 2], b: [1] }, { exclude: ((row: { a: number }) => row.a === 1) as never }),
      },
      'a condition that throws': {
        says: "matrix: `exclude` is not an array of combinations; write a condition as exclude: (never) => [never(['a'], ({ a }) => …)]",
        make: () => matrix({ a: [1, 2], b: [1] }, { exclude: ((row: { b: { c: number } }) => row.b.c === 1) as never }),
      },
      'a number for a combination': {
        says: 'matrix: an item of `exclude` is not a combination, or never(axes, condition)',
        make: () => matrix({ a: [1, 2], b: [1] }, { exclude: (() => [5]) as never }),
      },
      'an axis that is read and not declared': {
        says: "an exclusion reads axis `b` without declaring it: write never(['a', 'b'], …)",
        make: () => matrix({ a: [1, 2], b: [1, 2] }, { exclude: (never) => [never(['a'], (row) => row.a === (row as { b?: number }).b)] }),
      },
    }),
  },
  async ({ row, check }) => check.equal(await refusal(() => [test('t', { cases: row.make() }, () => {})]), row.says),
);
