import { matrix, namedRows, suite, test } from 'red-lattice';
import { asCode, demo, fromHash, type Model, readModel, toHash } from '../../examples/matrix-workbench/src/model.ts';

const model = (part: Partial<Model>): Model => ({
  ...demo,
  axes: [
    { name: 'loa', values: '6, 9' },
    { name: 'hull type', values: 'mono, "cat", true' },
  ],
  exclude: '',
  mixedStrength: '',
  ...part,
});

export const workbench = suite('the input of the matrix workbench', [
  test(
    'is parsed: {what}',
    {
      cases: namedRows<{ what: string; part: Partial<Model>; problems: readonly string[] }>({
        plain: { what: 'axes and exceptions', part: { exclude: 'loa=6|9, hull type=mono\n\n' }, problems: [] },
        axis: { what: 'an axis that is not there', part: { exclude: 'lao=6' }, problems: ['“lao=6”: unknown axis “lao”'] },
        value: { what: 'a value that is not there', part: { exclude: 'loa=7' }, problems: ['“loa=7”: axis “loa” has no value “7”'] },
        part: { what: 'half an exception', part: { exclude: 'loa' }, problems: ['“loa”: write each part like hull=tri'] },
        stronger: { what: 'a group of one', part: { mixedStrength: 'loa: 2' }, problems: ['“loa: 2”: write it like loa, hull, berth: 3'] },
      }),
    },
    ({ row, check }) => check.equal(readModel(model(row.part)).problems, [...row.problems]),
  ),

  test('is equivalent to the copied code', async ({ check }) => {
    const given = model({ exclude: 'loa=6, hull type=true', strength: 2 });
    const { axes, exclude } = readModel(given);
    const rowsOf = async (source: AsyncIterable<object>): Promise<object[]> => {
      const rows: object[] = [];
      for await (const row of source) rows.push(row);
      return rows;
    };
    const taken = new Function('matrix', `return ${asCode(readModel(given), 2)}`)(matrix) as AsyncIterable<object>;
    check.equal(await rowsOf(taken), await rowsOf(matrix(axes, { strength: 2, exclude })));
    check.equal((await rowsOf(matrix(axes, { strength: 2, exclude }))).length, 5);
  }),

  test('is restored from the address; an invalid address shows the demo', ({ check }) => {
    const given = model({ exclude: 'loa=6, hull type=mono', failed: [1, 3] });
    check.equal(fromHash(toHash(given)), given);
    for (const hash of ['', '#', '#%7B', '#5']) check.equal(fromHash(hash), demo, hash);
  }),
]);
