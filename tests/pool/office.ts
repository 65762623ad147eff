import { testWith } from 'red-lattice';
import { type Checkouts, type Command, checkouts, until } from './machines.ts';
import { ownServer, type Server, server, withoutServer } from './server.ts';

/** Slow cases, a fixture of the run, a lock, a data file, bodies that end their process, and one that loops. */
export const files = {
  'data/dues.csv': 'ship,due\nGull,5\nTern,6\n',
  'tariff.ts': 'export const due = 5;\n',
  'all.lattice.ts': `import { appendFileSync, existsSync, rmSync, writeFileSync } from 'node:fs';
import { cell, dataFile, fixture, range, test } from 'red-lattice';
import { due } from './tariff.ts';
const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));
const office = fixture('office', { scope: 'run', setup: () => { appendFileSync('opened.txt', 'x'); return { pid: process.pid }; } });
export const berths = test('berth {n}', { cases: range('n', 1, 40) }, async ({ row, check }) => { await pause(25); check.holds(row.n > 0); });
export const offices = test('office {n}', { needs: { office }, cases: range('n', 1, 6) }, ({ row, check, attach }, { office }) => {
  if (row.n === 3) attach('note', 'the third');
  check.holds(office.pid !== process.pid);
});
export const prices = test('{ship} pays', { cases: dataFile('data/dues.csv', { columns: { ship: cell.text, due: cell.number } }) }, ({ row, check }) => check.equal(row.due, due));
export const cranes = test('crane {n}', { cases: range('n', 1, 8), locks: ['crane'] }, async ({ row, check }) => {
  const held = process.env['CRANE'] ?? '../crane';
  check.holds(!existsSync(held));
  writeFileSync(held, '');
  await pause(5);
  rmSync(held);
  if (row.n === 4) process.exit(3);
});
export const tides = test('tide {n}', { cases: range('n', 1, 2), timeout: 200 }, ({ row, check }) => {
  if (row.n === 2) for (;;);
  check.holds(true);
});
export const sinks = test('sinks', async () => { process.kill(process.pid, 'SIGKILL'); await pause(5000); });
`,
};

export const numbered = (title: string, count: number): string[] => Array.from({ length: count }, (_, i) => `${title} ${i + 1}: passed`);
/** What a run of the project has in the end. */
export const all = [
  ...numbered('berth', 40),
  ...numbered('office', 6),
  'Gull pays: passed',
  'Tern pays: failed/check',
  'tide 1: passed',
  'tide 2: failed/timeout',
  'sinks: errored/crash',
  ...numbered('crane', 8).map((result) => (result.startsWith('crane 4') ? 'crane 4: errored/crash' : result)),
].sort();

/** Checkouts, and the address of a pool. */
export interface Scene {
  readonly at: Checkouts;
  readonly url: string;
  readonly server: Server;
}

/** Starts a machine with two lanes and one with one. */
export const twoMachines = async ({ at, url }: Scene): Promise<readonly [Command, Command]> => [
  await at.join(url, 'east', { lanes: 2 }),
  await at.join(url, 'west'),
];

/** Starts two machines and a run, and waits for the first results. */
export async function begun(scene: Scene): Promise<{ run: Command; east: Command; west: Command }> {
  const [east, west] = await twoMachines(scene);
  const run = await scene.at.run(scene.url);
  await until(() => scene.at.results().length > 2);
  return { run, east, west };
}

export const withServer = testWith({ at: checkouts, server });
export const withOwnServer = testWith({ at: checkouts, server: ownServer });
/** The options of all suites of a pool. */
export const poolOptions = { ...(withoutServer ? { skip: withoutServer } : {}), timeout: 240_000, concurrency: 3, overrides: [checkouts.with({ files })] };
