import { suite, test } from 'red-lattice';
import type { CellChange, MadeChange, Refusal } from '../../src/accepting/change.ts';
import { acceptedAsJson } from '../../src/formats/accept.ts';
import { type FileChanges, renderCommitText, renderFileChanges, renderRefusals, renderUnreadFiles } from '../../src/formats/human/accept.ts';
import { plainStyle } from '../../src/formats/style.ts';

const made = (count: number, cases: (i: number) => readonly string[] = (i) => [`dues › n=${i}`]): MadeChange[] =>
  Array.from({ length: count }, (_, i) => ({
    change: { file: '/p/dues.csv', line: i + 2, column: 3, heading: 'due', cases: cases(i) } as unknown as CellChange,
    before: i === 0 ? '' : String(i),
    after: i === 1 ? 'x'.repeat(41) : String(i * 10),
  }));
const file = (changes: MadeChange[], more: Partial<FileChanges> = {}): FileChanges => ({ name: 'dues.csv', made: changes, ...more });
const nameFile = (path: string): string => path.slice(3);
const refused = (count: number): Refusal[] =>
  Array.from({ length: count }, (_, i) => ({
    where: i === 0 ? { file: '/p/gone.csv' } : { file: '/p/dues.csv', line: i, heading: 'due' },
    reason: 'changed since',
    cases: ['a', 'b', 'c'],
  }));

export const accepted = suite('accepted values', [
  test('are listed with their line, old and new value and case', ({ check }) => {
    check.equal(renderFileChanges(file(made(3)), plainStyle, false), [
      '',
      'dues.csv  3 values in 3 rows',
      '  dues',
      `  line 2  due  empty → ${'0'.padStart(40)}  n=0`,
      `  line 3  due      1 → ${'x'.repeat(39)}…  n=1`,
      `  line 4  due      2 → ${'20'.padStart(40)}  n=2`,
    ]);
    // Titles without a common beginning are shown whole.
    const apart = renderFileChanges(file(made(3, (i) => [`t${i} › n`])), plainStyle, false).slice(2);
    check.equal(
      apart.map((line) => line.split('  ').at(-1)),
      ['t0 › n', 't1 › n', 't2 › n'],
    );
  }),

  test('are limited in number, but not with --all', ({ check }) => {
    const count = (lines: readonly string[]): number => lines.filter((line) => /^ {2}line/.test(line)).length;
    const many = renderFileChanges(file(made(32)), plainStyle, false);
    check.equal([count(many), many.at(-1)], [30, '  and 2 more (--all)']);
    check.equal([count(renderFileChanges(file(made(30)), plainStyle, false)), count(renderFileChanges(file(made(32)), plainStyle, true))], [30, 32]);
    const whole = file([], { lines: Array.from({ length: 31 }, (_, i) => `+line ${i}`), cases: ['a', 'b', 'c'] });
    const shown = renderFileChanges(whole, plainStyle, false);
    check.equal([shown.slice(0, 5), shown.length, shown.at(-1)], [['', 'dues.csv', '  a', '  b', '  +line 0'], 35, '  and 1 more line (--all)']);
    check.equal(renderFileChanges(whole, plainStyle, true).length, 35);
    const refusals = renderRefusals(refused(11), nameFile, plainStyle, false);
    check.equal(refusals.slice(0, 6), ['', '11 values not accepted', '  gone.csv: changed since', '    a', '    b', '  dues.csv:1 due: changed since']);
    check.equal([refusals.at(-1), renderRefusals(refused(11), nameFile, plainStyle, true).length], ['  and 1 more (--all)', 35]);
    check.equal(renderRefusals([], nameFile, plainStyle, false), []);
    const unread = renderUnreadFiles(
      Array.from({ length: 11 }, (_, i) => `n${i}.txt`),
      plainStyle,
    );
    check.equal([unread.slice(0, 3), unread.length, unread.at(-1)], [['', '11 files that no test reads any more', '  n0.txt'], 13, '  and 1 more']);
  }),

  test('are a text for a commit, and JSON', ({ check }) => {
    const files = [file(made(2)), { name: 'notice.txt', made: [], lines: ['+N4'], cases: ['notices › one'] }];
    check.equal(renderCommitText(files), [
      'Accept new expected values in dues.csv and notice.txt',
      '',
      'dues.csv: due in 2 rows',
      'notice.txt: the whole file',
      'Computed by dues, notices',
    ]);
    check.equal(renderCommitText([...files, file([])])[0], 'Accept new expected values in 3 files');
    const report = JSON.parse(acceptedAsJson(files, refused(2), true, nameFile));
    check.equal(
      [report.written, report.refused],
      [
        true,
        [
          { file: 'gone.csv', reason: 'changed since', cases: ['a', 'b', 'c'] },
          { file: 'dues.csv', line: 1, heading: 'due', reason: 'changed since', cases: ['a', 'b', 'c'] },
        ],
      ],
    );
    check.equal(report.files, [
      {
        file: 'dues.csv',
        values: [0, 1].map((i) => ({
          line: i + 2,
          heading: 'due',
          before: i === 0 ? '' : '1',
          after: i === 1 ? 'x'.repeat(41) : '0',
          cases: [`dues › n=${i}`],
        })),
      },
      { file: 'notice.txt', whole: true, cases: ['notices › one'], values: [] },
    ]);
  }),
]);
