import { cell, dataFile, suite, table, test } from 'red-lattice';
import { type CaseProcess, chooseProcess } from '../../src/command/choose-process.ts';
import { hasHooks } from '../../src/node/loading/hooks.ts';

const words = (text = ''): string[] => text.split(' ').filter(Boolean);

export const processes = suite('the process that runs the cases', [
  test('of {args} in a Node process with {flags} is chosen: {process}', {
    cases: dataFile('processes.csv', {
      columns: {
        args: cell.text.optional(),
        flags: cell.text.optional(),
        'is lane': cell.boolean,
        'has hooks': cell.boolean,
        coverage: cell.boolean,
        process: cell.oneOf('lane', 'later lane', 'this process', 'new process'),
        added: cell.text.optional(),
      },
    }),
  }, ({ row, check }) => {
    const chosen: { args: readonly string[]; process: CaseProcess } = chooseProcess(words(row.args), {
      flags: words(row.flags),
      isLane: row['is lane'],
      hasHooks: row['has hooks'],
      measuresCoverage: row.coverage,
    });
    check.equal(chosen, { args: [...words(row.args), ...words(row.added)], process: row.process });
  }),

  test('has usable hooks with Node {version}: {usable}', {
    cases: table(
      ['version', 'usable'],
      [
        ['20.19.0', false],
        ['23.11.1', false],
        ['24.7.0', false],
        ['24.8.0', true],
        ['24.11.1', true],
        ['25.0.0', true],
        ['26.1.0', true],
      ],
    ),
  }, ({ row, check }) => {
    check.equal(
      hasHooks(row.version, () => undefined),
      row.usable,
    );
    check.equal(hasHooks(row.version, null), false);
  }),
]);
