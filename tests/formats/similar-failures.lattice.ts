import { namedRows, range, suite, test } from 'red-lattice';
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

export const grouping = suite('failures', [
  test(
    '{what}',
    {
      cases: namedRows<{ what: string; results: readonly RecordedResult[]; groups: readonly (readonly string[])[] }>({
        numbers: {
          what: 'that differ in numbers only are one group',
          results: [result(1, [failed('off by 2')]), result(2, [failed('off by 3.5')])],
          groups: [['0/1', '0/2']],
        },
        messages: {
          what: 'with other messages are apart',
          results: [result(1, [failed('not equal')]), result(2, [failed('is null')])],
          groups: [['0/1'], ['0/2']],
        },
        lines: {
          what: 'at other lines are apart',
          results: [result(1, [failed('x')]), result(2, [failed('x', { location: place(9) })])],
          groups: [['0/1'], ['0/2']],
        },
        causes: {
          what: 'of other causes are apart',
          results: [result(1, [failed('x')]), result(2, [failed('x', { cause: 'throw' })])],
          groups: [['0/1'], ['0/2']],
        },
        notes: {
          what: 'with other notes are apart',
          results: [result(1, [failed('x', { note: 'a' })]), result(2, [failed('x', { note: 'b' })])],
          groups: [['0/1'], ['0/2']],
        },
        steps: {
          what: 'in other steps are apart',
          results: [result(1, [failed('x', { step: ['a'] })]), result(2, [failed('x', { step: ['b'] })])],
          groups: [['0/1'], ['0/2']],
        },
        tests: { what: 'of two tests are apart', results: [result(1, [failed('x')]), result(1, [failed('x')], 1)], groups: [['0/1'], ['1/1']] },
        setups: {
          what: 'of a setup are one group in all tests',
          results: [result(1, [failed('x', { cause: 'setup', fixture: 'f' })]), result(1, [failed('x', { cause: 'setup', fixture: 'f' })], 1)],
          groups: [['0/1', '1/1']],
        },
        mixed: {
          what: 'of a setup and a check are apart by test',
          results: [result(1, [failed('x', { cause: 'setup' }), failed('y')]), result(1, [failed('x', { cause: 'setup' }), failed('y')], 1)],
          groups: [['0/1'], ['1/1']],
        },
        repeated: {
          what: 'are alike however often they repeat',
          results: [result(1, [failed('x')]), result(2, [failed('x'), failed('x')])],
          groups: [['0/1', '0/2']],
        },
        fixtures: {
          what: 'of other fixtures are apart',
          results: [result(1, [failed('x', { cause: 'setup', fixture: 'f' })]), result(2, [failed('x', { cause: 'setup', fixture: 'g' })])],
          groups: [['0/1'], ['0/2']],
        },
      }),
    },
    ({ row, check }) =>
      check.equal(
        groupSimilarFailures(row.results).map((group) => group.map(({ id }) => id)),
        row.groups.map((group) => [...group]),
      ),
  ),

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
