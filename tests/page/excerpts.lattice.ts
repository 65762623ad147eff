import { mkdir, symlink, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fixture, suite, test, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { PageWriter } from '../../src/node/page-lines.ts';
import type { SourceLocation } from '../../src/problems/source-location.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';

const numbered = Array.from({ length: 12 }, (_, i) => `line ${i + 1}`);
const at = (line: number, more: object = {}): SourceLocation => ({ file: '/p/a.ts', line, column: 1, ...more });

function ended(ordinal: number, locations: readonly SourceLocation[], files: readonly string[] = []): JournalEntry {
  const name = { test: 0, ordinal, id: `a#${ordinal}`, title: '', row: {}, tags: [], status: 'failed' as const };
  const failures = locations.map((location) => ({ cause: 'check' as const, message: 'off', location }));
  return { type: 'ended', result: { ...EMPTY_OUTCOME, ...name, failures, attachments: files.map((file) => ({ name: file, file })) } };
}

const writerOf = (folder?: string, source: (file: string) => string | undefined = () => numbered.join('\n')) =>
  new PageWriter(folder, (file) => file.replace('/p/', ''), source);

const added = (writer: PageWriter, entry: JournalEntry): Record<string, unknown>[] =>
  [...writer.lines(entry)].slice(1).map((line) => JSON.parse(line) as Record<string, unknown>);

const attached = fixture('attached', {
  needs: { folder: tempDirectory() },
  async setup(_, { folder }) {
    await mkdir(join(folder, 'attachments'));
    await writeFile(join(folder, 'secret.txt'), 'secret');
    await writeFile(join(folder, 'attachments', 'chart.txt'), 'low');
    await writeFile(join(folder, 'attachments', 'large.bin'), Buffer.alloc(2_000_001));
    await symlink(join(folder, 'secret.txt'), join(folder, 'attachments', 'link.txt'));
    return folder;
  },
});

export const excerpts = suite('the lines of a page', [
  test('have the source around each place of a failure once', ({ check }) => {
    const writer = writerOf();
    const lines = (from: number, to: number): string[] => numbered.slice(from - 1, to);
    check.equal(added(writer, ended(0, [at(6), at(2), at(12)])), [
      { type: 'source', file: 'a.ts', first: 2, lines: lines(2, 10) },
      { type: 'source', file: 'a.ts', first: 1, lines: lines(1, 6) },
      { type: 'source', file: 'a.ts', first: 8, lines: lines(8, 12) },
    ]);
    check.equal(added(writer, ended(1, [at(6), at(13), at(3, { sheet: 'Dues' }), at(5)])), [{ type: 'source', file: 'a.ts', first: 1, lines: lines(1, 9) }]);
    check.equal(
      added(
        writerOf(undefined, () => undefined),
        ended(0, [at(1)]),
      ),
      [],
      'no source',
    );
    const long = added(
      writerOf(undefined, () => 'x'.repeat(500)),
      ended(0, [at(1)]),
    );
    check.equal(long, [{ type: 'source', file: 'a.ts', first: 1, lines: ['x'.repeat(400)] }]);
  }),

  test('have nothing beside a malformed line', ({ check }) => {
    const damaged = (entry: JournalEntry): string => JSON.stringify(entry).replace(/"failures":\[.*?\](?=,")/, '"failures":7');
    check.equal([...writerOf().lines(damaged(ended(0, [at(6)])))].length, 1);
    check.equal([...writerOf().lines(JSON.stringify(ended(0, [at(6)])))].length, 2, 'a whole line');
  }),

  test('have up to 400 sources, whatever is attached', ({ check }) => {
    const writer = writerOf('/nowhere', () => 'line\n'.repeat(500));
    const entries = Array.from({ length: 450 }, (_, i) => ended(i, [at(i + 1)], [`n${i}.txt`]));
    check.equal(entries.flatMap((entry) => added(writer, entry)).length, 400);
  }),

  testWith({ attached })('have each attachment once, but no large one, and nothing that a link leads to', ({ check }, { attached }) => {
    const writer = writerOf(attached);
    const files = ['chart.txt', 'large.bin', 'link.txt', '../secret.txt', 'chart.txt', 'gone.txt'];
    check.equal(added(writer, ended(0, [], files)), [
      { type: 'content', file: 'chart.txt', size: 3, base64: Buffer.from('low').toString('base64') },
      { type: 'content', file: 'large.bin', size: 2_000_001 },
    ]);
    check.equal(added(writer, ended(1, [], ['chart.txt'])), []);
    check.equal(added(writerOf(), ended(0, [], ['chart.txt'])), [], 'a report without a folder');
  }),
]);
