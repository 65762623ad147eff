import { cell, dataFile, range, suite, test } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { groupSimilarFailures } from '../../src/formats/similar-failures.ts';
import type { RecordedResult } from '../../src/results/recorded-result.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { Failure } from '../../src/running/result.ts';

const place = (line: number) => ({ file: 'a.lattice.ts', line, column: 3 });
const failed = (message: string, more: Partial<Failure> = {}): Failure => ({ cause: 'check', message, location: place(4), ...more });
const result = (number: number, failures: readonly Failure[], ofTest = 0): RecordedResult => ({
  ...EMPTY_OUTCOME,
  test: ofTest,
  ordinal: number,
  id: `${ofTest}/${number}`,
  title: `${number}`,
  row: {},
  tags: [],
  attachments: [],
  status: 'failed',
  failures,
});

/** A failing case in `similar-failures.yaml`. */
interface Given {
  readonly id: string;
  readonly failures: readonly (Partial<Failure> & { readonly message: string })[];
}

export const grouping = suite('failures', [
  test('{what}', {
    cases: dataFile('similar-failures.yaml', { columns: { what: cell.text, results: cell.json, groups: cell.json } }),
  }, ({ row, check }) => {
    const results = (row.results as readonly Given[]).map(({ id, failures }) => {
      const [ofTest, number] = id.split('/').map(Number) as [number, number];
      return result(
        number,
        failures.map(({ message, ...more }) => failed(message, more)),
        ofTest,
      );
    });
    check.equal<unknown>(
      groupSimilarFailures(results).map((group) => group.map(({ id }) => id)),
      row.groups,
    );
  }),

  test('are grouped at the first of them, and none is lost: seed {seed}', { cases: range('seed', 1, 10) }, ({ row, check }) => {
    const random = createRandom(`alike ${row.seed}`);
    const results = Array.from({ length: 30 }, (_, i) => result(i, [failed(random.pick(['a', 'b', 'c']))]));
    const groups = groupSimilarFailures(results);
    check.equal(
      [...groups.flat()].sort((a, b) => a.ordinal - b.ordinal),
      results,
    );
    const firsts = groups.map(([first]) => first?.ordinal ?? -1);
    check.equal(
      firsts,
      [...firsts].sort((a, b) => a - b),
    );
    for (const group of groups) check.equal(new Set(group.map(({ failures }) => failures[0]?.message)).size, 1);
  }),
]);
