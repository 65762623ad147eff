// Judges many faults quickly: one build has all of them, and each is switched on in turn in a process that has loaded the tests. Tests that
// take long are left out, so that what nobody sees here is a candidate for run.mjs, or for a look.
// usage: sweep.mjs [--sample 1000] [--seed 7] [--where results/cause] [--budget 8] [--again] [--fresh]    writes .red-lattice/faults/sweep.json
//   --where: the beginnings of the paths, in src/, with commas. --budget: the time for the tests of one fault without it, in seconds.
//   --again: only the faults that the last sweep did not see. --fresh: find out again which tests reach which functions.
// Faults in code that runs while modules are loaded are left out: it has run when they are switched on.
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { environment, makeCopy, removeCopy, root, sourceFiles, workshop } from './copy.mjs';
import { callFirst, replaceRanges } from './ranges.mjs';
import { findFunctions, findSites, keyOf, plant, shuffle, startRandom } from './sites.mjs';

const { values: options } = parseArgs({
  options: {
    sample: { type: 'string', default: '1000' },
    seed: { type: 'string', default: '7' },
    where: { type: 'string', default: '' },
    budget: { type: 'string', default: '8' },
    again: { type: 'boolean', default: false },
    fresh: { type: 'boolean', default: false },
  },
});
/** In seconds. A fault whose tests take this much longer than without it hangs, which counts as seen. */
const patience = 10;
/** In seconds. The cases of a test that would start later are not run. */
const secondsPerTest = 4;
/** In seconds. Tests that take longer, since a single case does, are left out. */
const longestTest = 12;
const equivalent = JSON.parse(readFileSync(new URL('equivalent.json', import.meta.url), 'utf8'));

/** All faults. The number of one is its index + 1. */
const faults = [];
/** All functions: the file, and the number of the function in it. */
const functions = [];

/** The text of a file with all its faults, each behind a condition, and a record at the beginning of each function. */
function plantAll(file, source) {
  const bodies = findFunctions(source);
  const lines = source.split('\n');
  const counts = new Map();
  const ranges = [];
  for (const site of findSites(source)) {
    const around = bodies.filter((body) => body.start <= site.start && site.end <= body.end).sort((a, b) => a.end - a.start - (b.end - b.start))[0];
    if (!around) continue;
    const [before, after] = [lines[site.line - 1].trim(), plant(source, site).split('\n')[site.line - 1].trim()];
    const nth = counts.get(before + after) ?? 0;
    counts.set(before + after, nth + 1);
    const number = faults.push({ file, line: site.line, kind: site.kind, before, after, nth, place: `${file}:${bodies.indexOf(around)}` });
    const on = `__planted.n===${number}`;
    for (const { start, end, text } of site.parts)
      ranges.push(
        site.kind === 'dropped statement'
          ? { start, end, write: (inner) => `{if(!(${on})){${inner}}}` }
          : site.kind === 'emptied catch'
            ? { start, end, write: (inner) => `{if(!(${on}))${inner}}` }
            : { start, end, write: (inner) => `(${on}?${text}:${inner})` },
      );
  }
  for (const [nth, body] of bodies.entries()) ranges.push(callFirst(body, `__planted.reach?.(${functions.push(`${file}:${nth}`) - 1})`));
  return `const __planted=globalThis.__planted??{n:0};${replaceRanges(source, ranges)}`;
}

const preload = `const { appendFileSync } = require('node:fs');
globalThis.__planted = { n: Number(process.env.PLANTED ?? 0) };
globalThis.__recordReached = (path) => {
  const seen = new Set();
  process.env.REACHED = path;
  globalThis.__planted.reach = (at) => {
    if (seen.has(at)) return;
    seen.add(at);
    try { appendFileSync(path, at + '\\n'); } catch {}
  };
};
if (process.env.REACHED) globalThis.__recordReached(process.env.REACHED);
`;

/** The test that asks for work, one answer after another: which files to run, with which fault, or where to record what they reach. */
const driver = (files, port) => `
import { pathToFileURL } from 'node:url';
import { planSuites, runSuites, test } from 'red-lattice';
import { nodeFiles } from '../src/node/files.ts';
${files.map((file, i) => `import * as file${i} from './${file.slice('tests/'.length)}';`).join('\n')}
const modules: Record<string, Record<string, unknown>> = { ${files.map((file, i) => `${JSON.stringify(file)}: file${i}`).join(', ')} };
const planted = (globalThis as any).__planted;
let late = 0;
for (const kind of ['unhandledRejection', 'uncaughtException'] as const) process.on(kind, () => late++);
const ask = async (path: string, body: unknown) => (await fetch('http://127.0.0.1:${port}/' + path, { method: 'POST', body: JSON.stringify(body) })).json() as any;

const openFile = (file: string) => ({
  suites: [...new Set(Object.values(modules[file]!))].filter((value: any) => typeof value === 'object' && value !== null && 'title' in value) as any[],
  location: { files: nodeFiles, base: pathToFileURL(process.cwd() + '/' + file) },
});

/** The tests of a file, as 'file#id'. Those of commands take long: their cases count as tests. */
async function listTests(file: string): Promise<string[]> {
  const { suites, location } = openFile(file);
  const ids = new Set<string>();
  for await (const planned of planSuites(suites, location)) ids.add((file.startsWith('tests/command/') ? planned : (planned as any).test).id);
  return [...ids].map((id) => file + '#' + id);
}

async function runTest(name: string): Promise<string> {
  const file = name.slice(0, name.indexOf('#'));
  const id = name.slice(file.length + 1);
  const { suites, location } = openFile(file);
  let how = '';
  let isOver = false;
  const ending = new AbortController();
  const timer = setTimeout(() => { isOver = true; ending.abort(); }, ${secondsPerTest * 1000});
  try {
    const { ok } = await runSuites(suites, {
      seed: 1, ...location, filter: (planned: any) => planned.test.id === id || planned.id === id, signal: ending.signal,
      onEvent(event: any) {
        if (isOver) return;
        if (event.type === 'ended' && ['failed', 'errored'].includes(event.result.status)) how ||= event.case.title + ': ' + event.result.failures?.[0]?.message;
        if (event.type === 'teardown-failed') how ||= event.title;
        if (event.type === 'problem') how ||= event.problem.code;
      },
    });
    if ((ok || isOver) && how === '') return '';
  } catch (error) {
    how = String((error as any)?.message ?? error);
  } finally {
    clearTimeout(timer);
  }
  return (how || 'not ok').slice(0, 120);
}

export const work = test('work', { timeout: 36_000_000 }, async () => {
  for (let job = await ask('next', {}); job; ) {
    late = 0;
    if (job.record) (globalThis as any).__recordReached(job.record);
    planted.n = job.number; process.env.PLANTED = String(job.number);
    const begun = performance.now();
    let seen = '';
    if (job.list) {
      const listed = await listTests(job.list).catch(() => []);
      job = await ask('next', { number: 0, listed });
      continue;
    }
    for (const name of job.tests) if (seen === '') { const how = await runTest(name); if (how) seen = name + ': ' + how; }
    await new Promise((done) => setImmediate(done));
    if (late > job.late) seen ||= job.tests.at(-1) + ': a late error';
    const seconds = (performance.now() - begun) / 1000;
    const lateErrors = late;
    planted.n = 0; process.env.PLANTED = '0';
    const isDirty = job.number > 0 && seen !== '' && (await runTest(seen.slice(0, seen.indexOf(': ')))) !== '';
    job = await ask('next', { number: job.number, seen, seconds, isDirty, late: lateErrors });
  }
});
`;

/** Starts a process with the tests. `next(result)` is called with each result, and returns the next job. Resolves when the process is gone. */
async function startDriver(folder, files, next) {
  const server = createServer(async (request, response) => {
    const parts = [];
    for await (const part of request) parts.push(part);
    response.end(JSON.stringify((await next(JSON.parse(Buffer.concat(parts).toString()))) ?? null));
  });
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  writeFileSync(join(folder, 'tests', 'driver.lattice.ts'), driver(files, server.address().port));
  const { NODE_OPTIONS, ...env } = environment;
  const child = spawn(process.execPath, [join(folder, 'dist', 'command.js'), 'run', 'tests/driver.lattice.ts', '--lanes', '1', '--show', 'summary'], {
    cwd: folder,
    env: { ...env, NODE_OPTIONS: `--require ${join(workshop, 'planted.cjs')}` },
    stdio: 'ignore',
    detached: true,
  });
  const gone = new Promise((done) => child.on('exit', done)).then(() => server.close());
  return {
    gone,
    kill: () => {
      try {
        process.kill(-child.pid, 'SIGKILL');
      } catch {}
      // Programs that tests have started in groups of their own.
      spawnSync('pkill', ['-9', '-f', folder]);
    },
  };
}

/** Does jobs one after another, in a new process where one hangs, ends it, or leaves something behind. Calls `ended(job, result)`. */
async function work(folder, files, take, ended) {
  let job = take();
  while (job) {
    let timer;
    let answered = 0;
    let isOver = false;
    const { gone, kill } = await startDriver(folder, files, (result) => {
      clearTimeout(timer);
      if (result.number !== undefined) {
        // Perhaps an earlier fault has left something behind: the same again in a new process.
        isOver = result.isDirty;
        if (!isOver || answered === 0) {
          ended(job, result);
          job = take();
        }
        answered++;
        if (isOver) setImmediate(kill);
        if (isOver) return undefined;
      }
      if (job) timer = setTimeout(kill, (job.expected === undefined ? longestTest : 2 * job.expected + patience) * 1000);
      isOver = job === undefined;
      return job;
    });
    await gone;
    clearTimeout(timer);
    if (isOver) continue;
    ended(job, { seen: 'it hangs or ends', seconds: 0 });
    job = take();
  }
}

const inWhere = (file) => options.where.split(',').some((path) => file.startsWith(`src/${path}`));
const folderOf = (number) => join(tmpdir(), `red-lattice-sweep-${process.pid}-${number}`);
const workers = Array.from({ length: availableParallelism() }, (_, number) => folderOf(number));

mkdirSync(workshop, { recursive: true });
writeFileSync(join(workshop, 'planted.cjs'), preload);
for (const folder of workers) makeCopy(folder);
for (const file of sourceFiles('src')) {
  const text = plantAll(file, readFileSync(join(root, file), 'utf8'));
  for (const folder of workers) writeFileSync(join(folder, file), text);
}
for (const folder of workers) {
  const { status, stderr } = spawnSync(process.execPath, [join(folder, 'scripts', 'build.mjs'), '--no-types', '--no-page'], { cwd: folder, encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
}

/** The tests that can be repeated in one process: what each reaches, its seconds, and how many errors it handles late. */
const tests = new Map();
const files = sourceFiles('tests').filter(
  (file) => file.endsWith('.lattice.ts') && !/^tests\/(?:packaging|docs|page|browser|pool)\/|command\/new\./.test(file),
);
const reachPath = join(workshop, 'sweep-reach.json');
const known = options.fresh || !existsSync(reachPath) ? undefined : JSON.parse(readFileSync(reachPath, 'utf8'));
for (const [name, { reached, ...more }] of known ?? []) tests.set(name, { ...more, reached: new Set(reached) });
if (!known) {
  const listings = files.map((list) => ({ list, tests: [] }));
  const names = [];
  await work(
    workers[0],
    files,
    () => listings.shift(),
    ({ list }, { listed }) => names.push(...(listed ?? [])) || console.log(`${list} cannot be listed`),
  );
  const measures = names.map((name, i) => ({ number: 0, tests: [name], late: 1e9, record: join(workshop, `swept-${i}.txt`) }));
  console.log(`${measures.length} tests`);
  for (const { record } of measures) writeFileSync(record, '');
  const ended = ({ tests: [name], record }, { seen, seconds, late }) => {
    if (seen || seconds > 1) console.log(`${seconds.toFixed(1)} s  ${name}${seen && `  left out: ${seen}`}`);
    const reached = new Set(
      readFileSync(record, 'utf8')
        .split('\n')
        .filter(Boolean)
        .map((at) => functions[at]),
    );
    rmSync(record);
    if (!seen) tests.set(name, { seconds, late, reached });
  };
  await Promise.all(workers.map((folder) => work(folder, files, () => measures.shift(), ended)));
}
if (!known) writeFileSync(reachPath, `${JSON.stringify([...tests].map(([file, { reached, ...more }]) => [file, { ...more, reached: [...reached] }]))}\n`);

/** Returns the tests that reach a fault within the budget, the quickest first. Tests of its folders count as four times as quick. */
function testsOf({ file, place }) {
  const folders = file.split('/').slice(1, -1);
  const costOf = ([test, { seconds }]) => (folders.includes(test.split('/')[1]) ? seconds / 4 : seconds);
  let left = Number(options.budget);
  return [...tests]
    .filter(([, { reached }]) => reached.has(place))
    .sort((one, other) => costOf(one) - costOf(other))
    .filter(([, { seconds }]) => (left -= seconds) > 0)
    .map(([name]) => name);
}

const random = startRandom(options.seed);
const candidates = faults.map((fault, i) => ({ ...fault, number: i + 1 })).filter((fault) => inWhere(fault.file) && !equivalent[keyOf(fault)]);
const resultPath = join(workshop, 'sweep.json');
const unseen = options.again ? new Set(JSON.parse(readFileSync(resultPath, 'utf8')).flatMap((fault) => (fault.seen ? [] : [keyOf(fault)]))) : undefined;
const chosen = unseen
  ? candidates.filter((fault) => unseen.has(keyOf(fault)))
  : shuffle(candidates, Math.min(candidates.length, Number(options.sample)), random).slice(0, Number(options.sample));
console.log(`${chosen.length} of ${candidates.length} faults`);
const results = [];
const begun = Date.now();
const queue = [...chosen];
await Promise.all(
  workers.map((folder) =>
    work(
      folder,
      files,
      () => {
        for (let fault = queue.shift(); fault; fault = queue.shift()) {
          const judges = testsOf(fault);
          const sum = (of) => judges.reduce((all, name) => all + tests.get(name)[of], 0);
          if (judges.length > 0) return { number: fault.number, tests: judges, late: sum('late'), expected: sum('seconds'), fault };
          results.push({ ...fault, seen: '', isUnreached: true });
        }
        return undefined;
      },
      ({ fault, tests: judges }, { seen, seconds }) => {
        results.push({ ...fault, seen, seconds, tests: judges.length });
        if (!seen) console.log(`NOBODY ${fault.file}:${fault.line}  ${fault.kind}: ${fault.before.slice(0, 90)} → ${fault.after.slice(0, 90)}`);
        if (results.length % 100 === 0) console.error(`${results.length} of ${chosen.length} after ${Math.round((Date.now() - begun) / 1000)} s`);
        writeFileSync(resultPath, `${JSON.stringify(results, null, 1)}\n`);
      },
    ),
  ),
);
workers.forEach(removeCopy);
const count = (is) => results.filter(is).length;
console.log(
  `seen ${count(({ seen }) => seen)}, not seen ${count(({ seen, isUnreached }) => !seen && !isUnreached)}, not reached ${count(({ isUnreached }) => isUnreached)}`,
);
