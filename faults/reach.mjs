// Finds the functions of src/ that each small project and test file runs: a copy of the project records the first call of each function in
// each process at once, so that killed processes count, too.
// usage: reach.mjs [--fresh]    writes .red-lattice/faults/reach.json
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { hostile } from '../tests/root/hostile/projects.mjs';
import { outcomes } from '../tests/root/outcomes.mjs';
import { makeCopy, removeCopy, root, runNode, sourceFiles, workshop } from './copy.mjs';
import { callFirst, replaceRanges } from './ranges.mjs';
import { findFunctions } from './sites.mjs';

/** In milliseconds. */
const longestTest = 600_000;
export const reachPath = join(workshop, 'reach.json');

/** The recorder of calls, loaded into each process before everything else. */
const preload = `const { appendFileSync } = require('node:fs');
const seen = new Set();
const write = appendFileSync;
globalThis.__reached = (at) => {
  if (seen.has(at)) return;
  seen.add(at);
  try { write(process.env.REACHED, at + '\\n'); } catch {}
};
`;

/** Inserts a record at the beginning of each function, and of the module. */
const instrument = (file, source) =>
  `globalThis.__reached?.('${file}:0');${replaceRanges(
    source,
    findFunctions(source).map((body) => callFirst(body, `globalThis.__reached?.('${file}:${body.line}')`)),
  )}`;

/** Runs one test or project. Returns the functions that it reached, and its duration in seconds. */
async function measure(folder, args, name, number) {
  const notes = join(workshop, `reached-${number}.txt`);
  writeFileSync(notes, '');
  const begun = Date.now();
  const env = { REACHED: notes, NODE_OPTIONS: `--require ${join(workshop, 'preload.cjs')}`, RED_LATTICE_PACKAGE: folder };
  const { status } = await runNode(args, folder, longestTest, env);
  const reached = [...new Set(readFileSync(notes, 'utf8').split('\n').filter(Boolean))];
  console.log(`${((Date.now() - begun) / 1000).toFixed(1)} s  ${status === 0 ? '' : `status ${status}  `}${reached.length} functions  ${name}`);
  rmSync(notes);
  return { reached, seconds: (Date.now() - begun) / 1000 };
}

export async function measureReach() {
  mkdirSync(workshop, { recursive: true });
  writeFileSync(join(workshop, 'preload.cjs'), preload);
  const folder = join(tmpdir(), `red-lattice-reach-${process.pid}`);
  makeCopy(folder);
  for (const file of sourceFiles('src')) writeFileSync(join(folder, file), instrument(file, readFileSync(join(root, file), 'utf8')));
  const built = spawnSync(process.execPath, [join(folder, 'scripts', 'build.mjs'), '--no-types', '--no-page'], { cwd: folder, encoding: 'utf8' });
  if (built.status !== 0) throw new Error(built.stderr);
  const jobs = [
    ...[...outcomes, ...hostile].map(({ name }) => ({ kind: 'base', name, args: [join(folder, 'tests', 'root', 'run.mjs'), `--only=${name}`] })),
    ...[...sourceFiles('tests'), ...sourceFiles('examples')]
      .filter((file) => file.endsWith('.lattice.ts'))
      .map((name) => ({ kind: 'tests', name, args: [join(folder, 'dist', 'command.js'), 'run', name, '--lanes', '1', '--show', 'summary'] })),
  ];
  const reach = { base: {}, tests: {} };
  const worker = async (number) => {
    for (let job = jobs.pop(); job; job = jobs.pop()) reach[job.kind][job.name] = await measure(folder, job.args, job.name, number);
  };
  await Promise.all(Array.from({ length: availableParallelism() }, (_, number) => worker(number)));
  removeCopy(folder);
  writeFileSync(reachPath, `${JSON.stringify(reach)}\n`);
  return reach;
}

export const readReach = () => (existsSync(reachPath) ? JSON.parse(readFileSync(reachPath, 'utf8')) : undefined);

if (process.argv[1]?.endsWith('reach.mjs')) await measureReach();
