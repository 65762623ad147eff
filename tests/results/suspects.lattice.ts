import { cell, dataFile, formatCondition, matrix, range, suite, test, values, whereItFails } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { renderWhere } from '../../src/formats/human/where.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { findSuspects, type Suspects } from '../../src/results/cause/suspects.ts';

type Row = Record<string, unknown>;

const names = (suspects: Suspects | undefined): string[] => (suspects?.combinations ?? []).map(({ conditions }) => conditions.map(formatCondition).join(' & '));

/** All combinations of up to three columns of the failing rows that no passing row has, none of which contains another, computed plainly. */
function plainSuspects(failing: readonly Row[], passing: readonly Row[]): Set<string> {
  const columns = Object.keys(failing[0] as Row);
  const found = new Set<string>();
  for (const row of failing) {
    const sets = columns.flatMap((a, i) => [[a], ...columns.slice(i + 1).flatMap((b, j) => [[a, b], ...columns.slice(i + j + 2).map((c) => [a, b, c])])]);
    const uncleared = sets.filter((set) => !passing.some((other) => set.every((column) => other[column] === row[column])));
    const smallest = uncleared.filter((set) => !uncleared.some((other) => other.length < set.length && other.every((column) => set.includes(column))));
    for (const set of smallest) found.add(set.map((column) => `${column}=${row[column]}`).join(' & '));
  }
  return found;
}

async function rowsOf(seed: number): Promise<Row[]> {
  const random = createRandom(`suspects ${seed}`);
  const axes = Object.fromEntries(
    Array.from({ length: random.integer(3, 6) }, (_, i) => [`c${i}`, Array.from({ length: random.integer(2, 4) }, (_, j) => `${'abcd'[j]}`)]),
  );
  const rows: Row[] = [];
  for await (const row of matrix(axes, { strength: random.integer(2, 3), seed })) rows.push(row);
  return rows;
}

const office = { season: ['summer', 'winter'], hull: ['mono', 'cat', 'tri'], crew: [1, 2], flag: ['a', 'b', 'c'] };

export const suspects = suite('suspects', { timeout: 30_000 }, [
  test('are the smallest combinations that no passing row has: seed {seed}', { cases: range('seed', 1, 60) }, async ({ row: { seed }, check }) => {
    const rows = await rowsOf(seed);
    const random = createRandom(`failures ${seed}`);
    const failing = random.shuffle(rows).slice(0, random.integer(1, 3));
    const passing = rows.filter((row) => !failing.includes(row));
    const expected = plainSuspects(failing, passing);
    const found = findSuspects(failing, passing)?.suspects;
    const inAll = [...expected].filter((text) =>
      failing.every((row) => text.split(' & ').every((part) => `${row[part.split('=')[0] as string]}` === part.split('=')[1])),
    );
    check.equal([...names(found)].sort(), (inAll.length > 0 ? inAll : [...expected]).sort());
    // Columns of which most rows share no value are left out, so that the counts are compared only if all columns stay.
    check.holds(!found || found.cleared <= found.total);
  }),

  test('of a planted {parts} are left when the other combinations have passed: seed {seed}', {
    cases: values('parts', [2, 3]).cross(range('seed', 1, 20)),
  }, async ({ row: { parts, seed }, check }) => {
    const rows: Row[] = [];
    for await (const row of matrix(office)) rows.push(row);
    const random = createRandom(`planted ${parts} ${seed}`);
    const cause = random.pick(rows);
    const columns = random.shuffle(Object.keys(office)).slice(0, parts);
    const fails = (row: Row): boolean => columns.every((column) => row[column] === cause[column]);
    const found = findSuspects(
      rows.filter(fails),
      rows.filter((row) => !fails(row)),
    )?.suspects;
    const expected = Object.keys(office).filter((column) => columns.includes(column));
    check.equal(names(found), [expected.map((column) => `${column}=${cause[column]}`).join(' & ')]);
    check.equal(found?.isLikelyCause, true);
    check.equal(found?.cleared, (found?.total ?? 0) - 1);
  }),

  test(
    'are not given for {what}',
    {
      cases: dataFile('unsuspected.jsonl'),
    },
    ({ row, check }) => check.equal(findSuspects(row['failing'] as unknown as Row[], row['passing'] as unknown as Row[]), undefined),
  ),

  test('are printed {what}', {
    cases: dataFile('printed-suspects.yaml', { columns: { what: cell.text, pairs: cell.json, lines: cell.json } }),
  }, ({ row, check }) => {
    const combinations = (row.pairs as readonly (readonly [string, string])[]).map(([hull, season]) => ({
      conditions: [
        { kind: 'value', column: 'hull', value: hull },
        { kind: 'value', column: 'season', value: season },
      ] as const,
      failing: 1,
    }));
    const suspects = { combinations, size: 2, total: 6, cleared: 5, isLikelyCause: combinations.length === 1 };
    const where = { causes: [], elsewhere: { failing: 0, cases: 0 }, suspects };
    const select = (conditions: readonly string[]) => ({ file: 'dues.lattice.ts', line: 3, options: conditions.map((text) => ['--row', text] as const) });
    check.equal(renderWhere(where, select, { style: plainStyle, nameFile: (file) => file }), row.lines as string[]);
  }),

  test('replace causes if there are too few failures for statistics', ({ check }) => {
    const passing = Array.from({ length: 11 }, (_, i) => ({
      hull: i % 2 ? 'cat' : 'mono',
      season: i % 3 === 1 && i % 2 ? 'summer' : i % 2 ? 'summer' : 'winter',
      crew: i % 2,
    }));
    const failing = { hull: 'cat', season: 'winter', crew: 1 };
    const { causes, suspects } = whereItFails([...passing.map((row) => ({ row, failed: false })), { row: failing, failed: true }]);
    check.equal(causes, []);
    check.includes(names(suspects), 'hull=cat & season=winter');
  }),
]);
