import { readFile } from 'node:fs/promises';
import { namedRows, test } from 'red-lattice';
import { comparisonAsJson } from '../../src/formats/comparison.ts';
import { writeReport } from '../../src/formats/report.ts';
import { pageHead, pageLines } from '../../src/node/page-lines.ts';
import { findRerunSelections } from '../../src/results/rerun-selection.ts';
import { buildRunState, failingTests } from '../../src/results/run-state.ts';
import { whereTestsFail } from '../../src/results/where/tests.ts';
import { compareRecords, earlier, later, readAll, recordsFolder } from '../office/recorded.ts';

const nameFile = (file: string): string => `files/${file}`;
const asText = (value: unknown): string => `${JSON.stringify(value, (_, inner) => (inner instanceof Map ? [...inner] : inner), 1)}\n`;

/** The selections that run each failed case again. */
function listReruns(): unknown {
  const { entries, info } = later();
  const state = buildRunState({ entries, info });
  const reruns = findRerunSelections(entries, state, info);
  return state.failures.map((failure) => [failure.id, reruns.find(failure)]);
}

/** What programs and the page read of two records, in the files of the folder `office`. */
export const whole = test(
  'of two recorded runs, {file} is written as before',
  {
    cases: namedRows<{ file: string; make: () => string | Promise<string> }>({
      JSON: { file: 'later.json', make: () => readAll(writeReport('json', later(), nameFile)) },
      compared: { file: 'compared.json', make: () => comparisonAsJson(...compareRecords(earlier(), later())) },
      page: {
        file: 'page.jsonl',
        make: async () => `${JSON.stringify(pageHead(later(), recordsFolder))}\n${await readAll(pageLines(later(), nameFile, (file) => `${file}\ntwo`))}`,
      },
      where: { file: 'where.json', make: () => asText(whereTestsFail(later().entries, failingTests(buildRunState(later())))) },
      reruns: { file: 'reruns.json', make: () => asText(listReruns()) },
    }),
  },
  async ({ row: { file, make }, check }) => void (await check.file(`office/${file}`, await make())),
);

export const again = test('a report in JSON Lines that is read is written again without a change', async ({ check }) =>
  check.equal(await readAll(writeReport('jsonl', later(), (file) => file)), await readFile(`${recordsFolder}later.jsonl`, 'utf8')));
