import { once } from 'node:events';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { SourceMap } from 'node:module';
import { join } from 'node:path';
import { suite, table, testWith } from 'red-lattice';
import { command, runCommand, runNode, startCommand } from '../program.ts';
import { isAlive, projectOf } from '../project.ts';

const dues = `interface Stay {
  readonly nights: number;
}

export function due(stay: Stay): number {
  if (stay.nights > 7) {
    return stay.nights * 9;
  }
  return stay.nights * 12;
}
`;
const covered = `import { test } from 'red-lattice';
import { due } from './dues.ts';

export const short = test('a short stay', ({ check }) => check.equal(due({ nights: 3 }), 36));
`;
/** A test that inspects what a debugger receives about its own file. */
const debugged = `import { Session } from 'node:inspector';
import { SourceMap } from 'node:module';
import { test } from 'red-lattice';

interface Script { readonly url: string; readonly sourceMapURL?: string }

export const shown = test('shown', ({ check, ensure }) => {
  const scripts: Script[] = [];
  const session = new Session();
  session.connect();
  session.on('Debugger.scriptParsed', ({ params }) => scripts.push(params));
  session.post('Debugger.enable');
  const own = scripts.find(({ url }) => url === import.meta.url);
  const [, data = ''] = (own?.sourceMapURL ?? '').split('base64,');
  ensure.holds(data !== '');
  const map = JSON.parse(Buffer.from(data, 'base64').toString());
  check.equal(map.sources, [import.meta.url]);
  check.includes(map.sourcesContent[0], 'interface Script');
  check.equal(new SourceMap(map).findEntry(0, 0).originalSource, import.meta.url);
});
`;
const waits = (name: string, body: string, options = ''): string => `import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { test } from 'red-lattice';

export const ${name} = test('${name}', {${options}}, async ({ check, defer }) => {
  defer(() => writeFileSync('torn', ''));
  writeFileSync('started', String(process.pid));
  ${body}
});
`;

const project = projectOf({
  'dues.ts': dues,
  'covered.lattice.ts': covered,
  'debugged.lattice.ts': debugged,
  'killed.lattice.ts': `${waits('killed', "execFileSync('kill', ['-9', String(process.pid)]);")}export const next = test('next', ({ check }) => check.holds(true));\n`,
  'pauses.lattice.ts': waits('pauses', 'await new Promise((done) => setTimeout(done, 1000)); check.holds(true);'),
  'blocks.lattice.ts': waits('blocks', 'for (;;) Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 1000);', ' timeout: 60_000 '),
});
const inProject = testWith({ project });

type Eventually = (probe: () => unknown, limit?: { within?: number }) => Promise<unknown>;

/** Starts the command in one process. Resolves when its test has started, with the id of the process that runs it. */
async function begun(file: string, project: string, eventually: Eventually) {
  const child = startCommand(['run', file, '--lanes', '0'], project, { stdio: 'ignore' });
  const mark = join(project, 'started');
  await eventually(() => existsSync(mark) && readFileSync(mark, 'utf8') !== '', { within: 10_000 });
  return { child, pid: Number(readFileSync(mark, 'utf8')) };
}

interface Coverage {
  readonly result: { url: string; functions: { ranges: { startOffset: number; endOffset: number; count: number }[] }[] }[];
  readonly 'source-map-cache'?: Record<string, { lineLengths: number[]; data: ConstructorParameters<typeof SourceMap>[0] }>;
}

/** The lines of a source, from and to, that were never executed. */
function linesNotRun(folder: string, file: string): number[][] {
  return readdirSync(folder).flatMap((name) => {
    const { result, 'source-map-cache': maps = {} } = JSON.parse(readFileSync(join(folder, name), 'utf8')) as Coverage;
    return result.flatMap(({ url, functions }) => {
      const known = url.endsWith(file) ? maps[url] : undefined;
      if (!known) return [];
      const map = new SourceMap(known.data);
      const lineAt = (offset: number): number => {
        let line = 0;
        let left = offset;
        for (; left > (known.lineLengths[line] ?? Number.POSITIVE_INFINITY); line++) left -= (known.lineLengths[line] as number) + 1;
        const entry = map.findEntry(line, left) as { originalLine: number };
        return entry.originalLine + 1;
      };
      const ranges = functions.flatMap((one) => one.ranges).filter(({ count }) => count === 0);
      return ranges.map(({ startOffset, endOffset }) => [lineAt(startOffset), lineAt(endOffset)]);
    });
  });
}

export const inOneProcess = suite('debuggers and coverage', { timeout: 60_000 }, [
  inProject('a debugger shows sources', async ({ check }, { project }) => {
    const { status, output } = await runNode(['--inspect=127.0.0.1:0', command, 'run', 'debugged.lattice.ts'], project);
    check.equal(status, 0, output);
  }),

  inProject(
    'time limits do not apply in a debugger: {node}',
    {
      cases: table(
        ['node', 'status'],
        [
          ['', 1],
          ['--inspect=127.0.0.1:0', 0],
        ],
      ),
    },
    async ({ row, check }, { project }) => {
      const args = [command, 'run', 'pauses.lattice.ts', '--lanes', '0', '--timeout', '100'];
      const { status, output } = await runNode(row.node === '' ? args : [row.node, ...args], project);
      check.equal(status, row.status, output);
    },
  ),

  inProject('coverage refers to the sources: {lanes} lanes', { cases: table(['lanes'], [[0], [1], [2]]) }, async ({ row, check }, { project }) => {
    const folder = join(project, 'coverage');
    const { status, output } = await runCommand(['run', 'covered.lattice.ts', '--lanes', String(row.lanes)], project, { NODE_V8_COVERAGE: folder });
    check.equal(status, 0, output);
    check.equal(linesNotRun(folder, 'dues.ts'), [[6, 8]]);
  }),

  inProject('a run succeeds if its coverage cannot be written: {lanes} lanes', { cases: table(['lanes'], [[0], [1]]) }, async ({ row, check }, { project }) => {
    const inItsPlace = join(project, 'covered.lattice.ts');
    const { status, output } = await runCommand(['run', 'covered.lattice.ts', '--lanes', String(row.lanes)], project, { NODE_V8_COVERAGE: inItsPlace });
    check.equal(status, 0, output);
  }),

  inProject('a killed process has no coverage, and only its case fails', async ({ check }, { project }) => {
    const { out, output } = await runCommand(['run', 'killed.lattice.ts'], project, { NODE_V8_COVERAGE: join(project, 'coverage') });
    check.equal(out.trimEnd().split('\n').at(-1), '1 passed, 1 failed', output);
  }),

  inProject(
    '{signal} ends the process after teardowns',
    {
      cases: table(
        ['signal', 'status'],
        [
          ['SIGTERM', 143],
          ['SIGHUP', 129],
          ['SIGINT', 130],
        ],
      ),
    },
    async ({ row, check, eventually }, { project }) => {
      const { child } = await begun('pauses.lattice.ts', project, eventually);
      child.kill(row.signal);
      check.equal(await once(child, 'exit'), [row.status, null]);
      check.holds(existsSync(join(project, 'torn')), 'what it had begun was torn down');
    },
  ),

  inProject('the process ends when the command is killed, even if its thread is blocked', async ({ check, eventually, defer }, { project }) => {
    const { child, pid } = await begun('blocks.lattice.ts', project, eventually);
    defer(() => isAlive(pid) && process.kill(pid, 'SIGKILL'));
    child.kill('SIGKILL');
    await eventually(() => !isAlive(pid), { within: 15_000 });
    check.holds(!existsSync(join(project, 'torn')));
  }),
]);
