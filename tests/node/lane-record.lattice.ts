import { join } from 'node:path';
import { testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { readJournals } from '../../src/node/journals.ts';
import { LaneRecord } from '../../src/node/lane/lane-record.ts';
import type { Job } from '../../src/node/protocol.ts';
import type { Problem } from '../../src/problems/problem.ts';

const inFolder = testWith({ folder: tempDirectory() });
const jobIn = (folder: string): Job => ({ journal: join(folder, 'lane-0.journal'), attachments: join(folder, 'attachments'), lane: 0 }) as Job;
const neverFails = (error: Error): never => {
  throw error;
};

export const output = inFolder('the record of a lane keeps a million characters of output outside of cases', ({ check }, { folder }) => {
  const record = new LaneRecord(jobIn(folder), undefined, neverFails);
  const texts = ['a'.repeat(999_999), 'b', 'c', 'd'];
  for (const text of texts) record.writeUnowned(text);
  record.close();
  const kept = [...readJournals(folder)].flatMap((entry) => (entry.type === 'output' ? [entry.text] : []));
  check.equal(kept, [...texts.slice(0, 2), '… output after 1,000,000 characters is not kept\n']);
});

export const problems = inFolder('the record of a lane keeps fifty problems of a kind, and counts the others', ({ check }, { folder }) => {
  const record = new LaneRecord(jobIn(folder), undefined, neverFails);
  const open = (n: number): Problem => ({ code: 'unclosed-placeholder', title: `{${n}` });
  for (let n = 1; n <= 52; n++) record.writeProblem(open(n));
  record.writeProblem({ code: 'invalid-date', text: 'soon', owner: 'a test' });
  record.close();
  check.holds(record.isClosed);
  record.put({ type: 'output', text: 'late' }, true);
  record.flush();
  const written: unknown[] = [];
  for (const entry of readJournals(folder)) if (entry.type !== 'header') written.push(entry.type === 'problem' ? entry.problem : entry);
  check.equal(written, [
    ...Array.from({ length: 50 }, (_, i) => open(i + 1)),
    { code: 'invalid-date', text: 'soon', owner: 'a test' },
    { code: 'more-problems', kind: 'unclosed-placeholder', count: 2 },
  ]);
});
