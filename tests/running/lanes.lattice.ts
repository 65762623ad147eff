import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { suite, table, test } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { readJournals } from '../../src/node/journals.ts';
import { office, officeRun } from '../office-run.ts';
import { runCommand } from '../program.ts';
import { makeProject } from '../project.ts';

/** The files without a database, which each lane would set up in seconds. One number of lanes has all files. */
const quick = ['berths', 'bookings', 'days', 'draft', 'dues', 'prices', 'tides'].map((name) => `tests/${name}.lattice.ts`);

/** Status and cause of every case of a record, by its id. */
function statusesIn(record: string): Record<string, string> {
  const results = [...readJournals(record)].flatMap((entry) => (entry.type === 'ended' ? [entry.result] : []));
  return Object.fromEntries(results.map(({ id, status, cause }) => [id, cause ? `${status}/${cause}` : status]));
}

const folder = tempDirectory('file');

export const lanes = suite('statuses do not depend on lanes and order', { timeout: 200_000 }, [
  test(
    '{lanes} lanes, seed {seed}',
    {
      needs: { folder, officeRun },
      cases: table(
        ['lanes', 'seed', 'where'],
        [
          [0, 3, quick],
          [2, 1, []],
          [4, 2, quick],
        ],
      ),
    },
    async ({ row, check, ensure }, { folder, officeRun }) => {
      const record = join(folder, `${row.lanes}-${row.seed}`);
      const how = ['--lanes', String(row.lanes), '--shuffle', '--seed', String(row.seed)];
      await runCommand(['run', ...row.where, '--on-request', '--show', 'summary', '--record', record, ...how], office);
      const seen = statusesIn(record);
      const inOrder = statusesIn(officeRun);
      ensure.holds(Object.keys(seen).length > 300, `${Object.keys(seen).length} cases`);
      const isAsked = (id: string): boolean => row.where.length === 0 || row.where.some((file) => id.startsWith(file));
      check.equal(seen, Object.fromEntries(Object.entries(inOrder).filter(([id]) => isAsked(id))));
    },
  ),
]);

export const debugging = test(
  'RED_LATTICE_DEBUG=1 prints messages, scheduling, deadlines and kills',
  { needs: { folder }, timeout: 30_000 },
  async ({ check }, { folder }) => {
    const project = join(folder, 'debugged');
    await makeProject(project);
    await writeFile(
      join(project, 'a.lattice.mjs'),
      "import { test } from 'red-lattice';\nexport const loops = test('loops', { timeout: 100 }, () => { for (;;); });\n",
    );
    const { status, output } = await runCommand(['run'], project, { RED_LATTICE_DEBUG: '1' });
    check.equal(status, 1);
    for (const line of [
      /lane 0 +process \d+ started$/m,
      /lane 0 +<- job \{/,
      /lane 0 +-> free$/m,
      /schedule +tests 0 to lane 0/,
      /lane 0 +body a\.lattice\.mjs#loops, deadline in 100 ms$/m,
      /lane 0 +kill process \d+$/m,
      /ended: SIGKILL$/m,
    ])
      check.matches(output, line);
    check.equal((await runCommand(['run'], project)).output.includes('lane 0'), false, 'nothing without the variable');
    await writeFile(
      join(project, 'a.lattice.mjs'),
      "import { fixture, test } from 'red-lattice';\nconst slow = fixture('slow', { scope: 'file', timeout: 60000, setup: async () => 1, teardown: async () => {} });\nexport const waits = test('waits', { needs: { slow } }, ({ check }) => check.holds(true));\n",
    );
    const slow = (await runCommand(['run'], project, { RED_LATTICE_DEBUG: '1' })).output;
    check.matches(slow, /setup a\.lattice\.mjs#waits, deadline in 60000 ms$/m);
    check.matches(slow, /teardown a\.lattice\.mjs, deadline in 60000 ms$/m);
  },
);
