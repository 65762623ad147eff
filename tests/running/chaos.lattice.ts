import type { ChildProcess } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { readdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fixture, range, suite, test } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { createRandom } from '../../src/cases/random.ts';
import { readJournals } from '../../src/node/journals.ts';
import { startCommand } from '../program.ts';
import { makeProject } from '../project.ts';

/** Ways to misbehave, each as a body, with the expected status and cause. */
const misdeeds: Readonly<Record<string, readonly [body: string, outcome: string]>> = {
  fails: ['check.holds(false)', 'failed/check'],
  throws: ['throw new Error("no tide")', 'failed/throw'],
  exits: ['process.exit(0)', 'errored/crash'],
  aborts: ['process.abort()', 'errored/crash'],
  killed: ['process.kill(process.pid, "SIGKILL")', 'errored/crash'],
  blocks: ['for (;;) Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 1000)', 'failed/timeout'],
  hangs: ['await new Promise(() => {})', 'failed/timeout'],
  rejects: ['Promise.reject(new Error("left alone")); await new Promise((done) => setTimeout(done, 20))', 'failed/throw'],
  'throws late': ['setTimeout(() => { throw new Error("in a timer"); }, 5); await new Promise((done) => setTimeout(done, 40))', 'failed/throw'],
  overflows: ['const deeper = () => deeper() + 1; deeper()', 'failed/throw'],
  floods: ['for (let i = 0; i < 150; i++) console.log("x".repeat(10000)); check.holds(true)', 'passed'],
};

interface Project {
  readonly folder: string;
  /** Status with cause by title. */
  readonly expected: ReadonlyMap<string, string>;
}

/** Some hundred cases in several files, a fifth of which misbehave, from a seed. */
const project = fixture('project', {
  settings: { seed: 0 },
  needs: { folder: tempDirectory() },
  async setup({ settings }, { folder }): Promise<Project> {
    const random = createRandom(`chaos ${settings.seed}`);
    const expected = new Map<string, string>();
    await makeProject(folder);
    for (let file = 0; file < 6; file++) {
      const tests = Array.from({ length: 20 }, (_, i) => {
        const deed = random.integer(0, 4) === 0 ? random.pick(Object.keys(misdeeds)) : undefined;
        const title = `${file}.${i} ${deed ?? 'behaves'}`;
        const [body, outcome] = deed === undefined ? ['check.holds(true)', 'passed'] : (misdeeds[deed] as readonly [string, string]);
        expected.set(title, outcome);
        const wait = random.integer(0, 2) === 0 ? `await new Promise((done) => setTimeout(done, ${random.integer(1, 30)})); ` : '';
        const needs = random.integer(0, 3) === 0 ? 'needs: { shared }, ' : '';
        return `test('${title}', { ${needs}timeout: 1500 }, async ({ check }) => { ${wait}${body}; }),`;
      });
      const scope = random.pick(['file', 'suite', 'lane', 'case']);
      const head = `import { fixture, suite, test } from 'red-lattice';\nconst shared = fixture('shared', { scope: '${scope}', setup: () => 1, teardown: () => {} });\n`;
      const options = `{ concurrency: ${random.integer(1, 3)} }`;
      await writeFile(join(folder, `f${file}.lattice.mjs`), `${head}export const all = suite('all', ${options}, [\n${tests.join('\n')}\n]);\n`);
    }
    return { folder, expected };
  },
});

const start = (args: readonly string[], cwd: string): ChildProcess =>
  startCommand(['run', '--show', 'summary', '--lanes', '4', ...args], cwd, { stdio: ['ignore', 'pipe', 'inherit'] });

function ended(child: ChildProcess): Promise<{ status: number | null; out: string }> {
  return new Promise((resolve) => {
    let out = '';
    child.stdout?.on('data', (text) => {
      out += text;
    });
    child.on('close', (status) => resolve({ status, out }));
  });
}

/** Every recorded result, as a list, so that repeated ones are seen. */
const resultsIn = (record: string): string[] =>
  [...readJournals(record)].flatMap((entry) =>
    entry.type === 'ended' ? [`${entry.result.title.replace('all › ', '')}: ${entry.result.status}${entry.result.cause ? `/${entry.result.cause}` : ''}`] : [],
  );

const wanted = ({ expected }: Project): string[] => [...expected].map(([title, outcome]) => `${title}: ${outcome}`).sort();

export const chaos = suite('whatever cases do', { timeout: 120_000 }, [
  test(
    'each has exactly one result, the right one: seed {seed}',
    { needs: { project }, cases: range('seed', 1, 2), overrides: ({ seed }) => [project.with({ seed })] },
    async ({ check }, { project }) => {
      const { status } = await ended(start(['--record', 'record'], project.folder));
      check.equal(status, 1);
      check.equal(resultsIn(join(project.folder, 'record')).sort(), wanted(project));
    },
  ),

  test(
    'each has one result in the end, though the run is killed at random moments: seed {seed}',
    {
      needs: { project },
      cases: range('seed', 11, 12),
      overrides: ({ seed }) => [project.with({ seed })],
    },
    async ({ row, check, log }, { project }) => {
      const random = createRandom(`kills ${row.seed}`);
      const runs = join(project.folder, '.red-lattice', 'runs');
      // A run that was killed before it had a record is started again.
      const goOn = (): string[] => (existsSync(runs) && readdirSync(runs).some((name) => existsSync(join(runs, name, 'run.json'))) ? ['--resume'] : []);
      for (let kill = 0; kill < 4; kill++) {
        const child = start(goOn(), project.folder);
        const over = ended(child);
        const wait = random.integer(150, 1500);
        await new Promise((resolve) => setTimeout(resolve, wait));
        child.kill('SIGKILL');
        await over;
        log(`killed after ${wait} ms`);
      }
      const { status, out } = await ended(start(goOn(), project.folder));
      log(out);
      check.equal(status, 1);
      const [record] = (await readdir(runs)).sort().reverse();
      check.equal(resultsIn(join(runs, record ?? '')).sort(), wanted(project));
    },
  ),

  test('two runs in one folder do not disturb each other', { needs: { project }, overrides: [project.with({ seed: 21 })] }, async ({ check }, { project }) => {
    await Promise.all(['one', 'two'].map((record) => ended(start(['--record', record], project.folder))));
    for (const record of ['one', 'two']) check.equal(resultsIn(join(project.folder, record)).sort(), wanted(project), record);
  }),
]);
