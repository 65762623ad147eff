import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { namedRows, range, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { failedIds, findChangedFiles, findRecord, listEarlierRuns, rememberFailed } from '../../src/node/earlier-runs.ts';
import { hashFile } from '../../src/node/read-files.ts';
import { createRecord, findRecordFault, findStateFolder, readInfo, readTimingHistory, removeOldRecords, writeInfo } from '../../src/node/record.ts';
import { encodeEntry, JOURNAL_VERSION, type JournalEntry } from '../../src/results/journal/entries.ts';
import type { RunInfo } from '../../src/results/run-info.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { Status } from '../../src/running/result.ts';

const testRecords = testWith({ root: tempDirectory('case') });
const at = (number: number): Date => new Date(Date.UTC(2031, 3, 1, 8, 0, number));

/** Writes the record of a run with the statuses of some cases. */
function record(root: string, number: number, statuses: Readonly<Record<string, Status>>, more: Partial<RunInfo> = {}): { folder: string; info: RunInfo } {
  const folder = createRecord(root, at(number), 7);
  const entries: JournalEntry[] = [
    { type: 'header', version: JOURNAL_VERSION, lane: 0 },
    { type: 'test', header: { test: 0, id: 'a#t', file: 'a.lattice.ts', path: ['t'], tags: [], columns: [] } },
    ...Object.entries(statuses).map(
      ([id, status], ordinal): JournalEntry => ({
        type: 'ended',
        result: { ...EMPTY_OUTCOME, test: 0, ordinal, id, title: id, row: {}, tags: [], attachments: [], status },
      }),
    ),
  ];
  writeFileSync(join(folder, 'lane-0.journal'), entries.map((entry) => encodeEntry(entry, JSON.stringify)).join(''));
  const counts: Record<string, number> = {};
  for (const status of Object.values(statuses)) counts[status] = (counts[status] ?? 0) + 1;
  const facts = {
    version: JOURNAL_VERSION,
    tool: '0.1.0',
    node: 'v22',
    platform: 'linux',
    command: ['run'],
    seed: 7,
    started: at(number).toISOString(),
    lanes: 1,
  };
  const info: RunInfo = { kind: 'red-lattice run record', ...facts, counts, ...more };
  writeInfo(folder, info);
  return { folder, info };
}

const isFailure = (status: Status | undefined): boolean => status === 'failed' || status === 'errored';

function chooseStatuses(random: Random): Record<string, Status> {
  const ids = random.shuffle(['a', 'b', 'c', 'd', 'e', 'f']).slice(0, random.integer(1, 6));
  return Object.fromEntries(ids.map((id) => [id, random.pick<Status>(['passed', 'passed', 'failed', 'errored', 'skipped'])]));
}

export const failed = testRecords(
  'the failed cases of several runs are those that failed when they last ran: seed {seed}',
  { cases: range('seed', 1, 40) },
  ({ row: { seed }, check }, { root }) => {
    const random = createRandom(`failed ${seed}`);
    const last = new Map<string, Status>();
    for (let number = 0; number < 8; number++) {
      const statuses = chooseStatuses(random);
      const run = record(root, number, statuses);
      for (const [id, status] of Object.entries(statuses)) last.set(id, status);
      const isWhole = random.integer(0, 5) === 0;
      // A killed run is not remembered.
      if (random.integer(0, 3) > 0) {
        rememberFailed(root, run, isWhole);
        // After a complete run, other cases do not exist any more.
        if (isWhole) for (const id of last.keys()) if (!(id in statuses)) last.delete(id);
      }
      if (random.integer(0, 5) === 0) writeFileSync(join(root, '.red-lattice', 'runs', 'notes.txt'), '');
      check.equal(new Set(failedIds(root)), new Set([...last].filter(([, status]) => isFailure(status)).map(([id]) => id)));
    }
  },
);

export const damagedMemory = testRecords('without what was remembered, the records say which cases failed', ({ check }, { root }) => {
  rememberFailed(root, record(root, 1, { a: 'failed', b: 'failed' }), false);
  rememberFailed(root, record(root, 2, { a: 'passed' }), false);
  for (const text of ['{', '{"through":5,"ids":["a"]}', '{"through":"","ids":"a"}']) {
    writeFileSync(join(root, '.red-lattice', 'failed.json'), text);
    check.equal(failedIds(root), ['b'], text);
  }
  writeFileSync(join(root, '.red-lattice', 'failed.json'), JSON.stringify({ through: at(2).toISOString(), ids: ['c', 5] }));
  check.equal(failedIds(root), ['c']);
});

export const names = testRecords('records are found by their names, the latest first', ({ check }, { root }) => {
  check.equal([listEarlierRuns(root), findRecord('latest', root, root)], [[], undefined]);
  const [first, second] = [record(root, 1, {}), record(root, 2, {})];
  check.equal(
    listEarlierRuns(root).map(({ folder }) => folder),
    [second.folder, first.folder],
  );
  const find = (name: string, from = root): string | undefined => findRecord(name, root, from)?.folder;
  check.equal([find('latest'), find('previous')], [second.folder, first.folder]);
  check.equal(
    [find('20310401-080001-7'), find(first.folder), find('20310401-080001-7', join(root, '.red-lattice', 'runs'))],
    [first.folder, first.folder, first.folder],
  );
  check.equal([find('elsewhere/20310401-080001-7'), find('20310401-080003-7')], [undefined, undefined]);
  // Runs that start at the same time.
  check.holds(record(root, 2, {}).folder.endsWith('20310401-080002-7-2'));
  check.equal(readFileSync(join(findStateFolder(root), '.gitignore'), 'utf8'), '*\n');
});

export const faults = testRecords(
  'a record that cannot be read says why: {what}',
  {
    cases: namedRows<{ what: string; change: object; says: string | undefined }>({
      fine: { what: 'none', change: {}, says: undefined },
      newer: {
        what: 'another version',
        change: { version: 99, tool: '9.0.0' },
        says: `its version is 99, of Red Lattice 9.0.0; this one reads ${JOURNAL_VERSION}. Read it with that version, or run again.`,
      },
      damaged: {
        what: 'a damaged record',
        change: { lanes: 'two' },
        says: 'the record is damaged: its run.json has an invalid "lanes". Remove it, or copy it again.',
      },
      date: {
        what: 'no time',
        change: { started: 'noon' },
        says: 'the record is damaged: its run.json has an invalid "started". Remove it, or copy it again.',
      },
      other: { what: 'no record at all', change: { kind: 'something' }, says: undefined },
    }),
  },
  ({ row: { change, says }, check }, { root }) => {
    const { folder } = record(root, 1, {}, change);
    check.equal(findRecordFault(folder), says);
    check.equal(readInfo(folder) === undefined, says !== undefined || 'kind' in change);
    check.equal(findRecordFault(join(root, 'absent')), undefined);
  },
);

export const history = testRecords('durations come from the last three records', ({ check }, { root }) => {
  const asked = { command: ['run'], selection: { titles: ['dues'] } };
  check.equal([...readTimingHistory(root, asked).times], []);
  record(root, 1, {}, { times: { a: 1, old: 9 }, milliseconds: 100, selection: { titles: ['dues'] } });
  record(root, 2, {}, { times: { a: 2, b: 5 }, milliseconds: 200, selection: { titles: ['dues'] } });
  record(root, 3, {}, { times: { b: 6 }, milliseconds: 300 });
  record(root, 4, {}, { selection: { titles: ['dues'] } });
  const { times, milliseconds } = readTimingHistory(root, asked);
  check.equal([Object.fromEntries(times), milliseconds], [{ a: 2, b: 6 }, 200]);
  check.equal(readTimingHistory(root, { ...asked, command: ['plan'] }).milliseconds, undefined);
});

export const removed = testRecords('the oldest of more than 20 records are removed, and nothing else', ({ check }, { root }) => {
  for (let number = 0; number < 25; number++) record(root, number, {});
  const runs = join(root, '.red-lattice', 'runs');
  mkdirSync(join(runs, '00-own'));
  writeFileSync(join(runs, '00-notes.txt'), '');
  removeOldRecords(root);
  // One place is for the record of the current run.
  check.equal(readdirSync(runs).sort(), [
    '00-notes.txt',
    '00-own',
    ...Array.from({ length: 19 }, (_, i) => `20310401-0800${String(i + 6).padStart(2, '0')}-7`),
  ]);
});

export const changed = testRecords('files that have changed since a run are found', ({ check }, { root }) => {
  for (const name of ['a.lattice.ts', 'helper.ts', 'dues.csv', 'gone.ts', 'data.csv', 'old.csv']) writeFileSync(join(root, name), name);
  const hash = (name: string): string => hashFile(join(root, name)) as string;
  const run = record(
    root,
    1,
    {},
    { files: { 'a.lattice.ts': hash('a.lattice.ts') }, reads: { 'helper.ts': hash('helper.ts'), 'dues.csv': 'another', 'gone.ts': 'x' } },
  );
  check.equal(findChangedFiles(run, root), ['dues.csv', 'gone.ts']);
  writeFileSync(join(root, 'a.lattice.ts'), 'changed');
  check.equal(findChangedFiles(run, root).sort(), ['a.lattice.ts', 'dues.csv', 'gone.ts']);
});
