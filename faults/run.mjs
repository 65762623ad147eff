// Plants single faults in copies of the project, one in each, and sees which tests find them: the trusted base, then the tests that reach the
// function (reach.mjs), then all. A survivor is equivalent (equivalent.json says why), or a test is missing.
// usage: run.mjs [--sample 60] [--seed 7] [--folder running] [--judges base,near,all] [--near 1000] [--fresh] [--show]
//   --judges: the judges to use, in this order. `folder` is quicker as the first: the tests of the fault's folders that reach the function,
//     which `near` then leaves out.
//   --near: the time budget of `near` and `folder` in seconds; tests of the fault's folders run first, then the quickest.
//   --fresh: ignore an earlier result with the same options. --show: only list the faults.
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { parseArgs } from 'node:util';
import { installRuntime } from '../scripts/install-runtime.mjs';
import { makeCopy, removeCopy, root, runNode, sourceFiles, workshop } from './copy.mjs';
import { measureReach, readReach } from './reach.mjs';
import { findFunctions, findSites, keyOf, plant, shuffle, startRandom } from './sites.mjs';

const { values: options } = parseArgs({
  options: {
    sample: { type: 'string', default: '60' },
    seed: { type: 'string', default: '7' },
    folder: { type: 'string' },
    judges: { type: 'string', default: 'base,near,all' },
    near: { type: 'string', default: '1000' },
    fresh: { type: 'boolean', default: false },
    show: { type: 'boolean', default: false },
  },
});
const equivalent = JSON.parse(readFileSync(new URL('equivalent.json', import.meta.url), 'utf8'));
/** The number of test files in the first run: the quickest of those that reach a fault. */
const quickFiles = 6;
/** In milliseconds. A judge that takes longer hangs, which counts as seen. */
const limits = { build: 60_000, base: 240_000, folder: 400_000, near: 400_000, all: 1_200_000 };

/** The line of the innermost function around a place. 0 is the module. */
const lineAround = (functions, { start, end }) =>
  functions.filter((body) => body.start <= start && end <= body.end).sort((a, b) => a.end - a.start - (b.end - b.start))[0]?.line ?? 0;

function allFaults() {
  const faults = [];
  for (const file of sourceFiles('src')) {
    const source = readFileSync(join(root, file), 'utf8');
    const counts = new Map();
    const functions = findFunctions(source);
    for (const site of findSites(source)) {
      const line = source.split('\n')[site.line - 1].trim();
      const planted = plant(source, site).split('\n')[site.line - 1].trim();
      const id = `${line} ${planted}`;
      const nth = counts.get(id) ?? 0;
      counts.set(id, nth + 1);
      faults.push({ file, functionLine: lineAround(functions, site), kind: site.kind, line: site.line, before: line, after: planted, nth, site });
    }
  }
  return faults;
}

/** Chooses faults from all folders, by the square root of their sizes, in random order. */
function choose(faults, size, random) {
  const byFolder = new Map();
  for (const fault of faults) {
    const folder = fault.file.split('/')[1];
    byFolder.set(folder, [...(byFolder.get(folder) ?? []), fault]);
  }
  const weights = [...byFolder].map(([folder, list]) => [folder, Math.sqrt(list.length)]);
  const whole = weights.reduce((sum, [, weight]) => sum + weight, 0);
  const sample = weights.flatMap(([folder, weight]) => {
    const list = byFolder.get(folder);
    const count = Math.min(list.length, Math.max(1, Math.round((size * weight) / whole)));
    return shuffle(list, count, random).slice(0, count);
  });
  return shuffle(sample, sample.length, random);
}

/** Some functions in this folder run only in newer versions of Node. Faults in them are judged with this version, by these tests. */
const otherRuntime = {
  version: '24',
  folder: 'src/node/loading/',
  tests: ['tests/loading', 'tests/command/in-one-process.lattice.ts', 'tests/command/repeated-runs.lattice.ts'],
};

/** Test files that need the declarations and the page. A copy has these only for a fault in the code that creates starter files. */
const needsWholeBuild = /^tests\/(?:packaging\/|docs\/|command\/new\.)/;
const isOfStarters = ({ file }) => file.startsWith('src/command/new');

/** The small projects and test files that run a function: first the projects that run the fewest functions, and the tests of its folder. */
function testsOf(reach, fault) {
  const { file, functionLine } = fault;
  const folders = file.split('/').slice(1, -1);
  const isNear = (test) => folders.includes(test.split('/')[1]);
  const place = `${file}:${functionLine}`;
  const withinBudget = (tests) => {
    let left = Number(options.near);
    return tests.filter(([, { seconds }]) => (left -= seconds) > 0).map(([name]) => name);
  };
  const reaching = (kind) => Object.entries(reach[kind]).filter(([, { reached }]) => reached.includes(place));
  const judges = options.judges.split(',');
  if (file.startsWith(otherRuntime.folder) && reaching('tests').length === 0)
    return { runtime: otherRuntime.version, base: [], folder: otherRuntime.tests, near: judges.includes('folder') ? [] : otherRuntime.tests };
  const tests = reaching('tests')
    .filter(([name]) => isOfStarters(fault) || !needsWholeBuild.test(name))
    .sort(([one, a], [other, b]) => Number(isNear(other)) - Number(isNear(one)) || a.seconds - b.seconds);
  return {
    base: reaching('base')
      .sort(([, a], [, b]) => a.reached.length - b.reached.length)
      .map(([name]) => name),
    folder: withinBudget(tests.filter(([name]) => isNear(name))),
    near: withinBudget(judges.includes('folder') ? tests.filter(([name]) => !isNear(name)) : tests),
  };
}

/** Runs the judges on a copy. Returns the judge that sees the fault, and its message. */
async function judge(folder, reaching, isWhole, runtime = process.execPath) {
  // Rows that an earlier copy has cached would hide a fault in the search.
  rmSync(join(folder, '.red-lattice'), { recursive: true, force: true });
  const built = await runNode([join(folder, 'scripts', 'build.mjs'), ...(isWhole ? [] : ['--no-types', '--no-page'])], folder, limits.build);
  if (built.status !== 0) return { by: 'build', how: firstLine(built.output) };
  const suites = (names) => [join(folder, 'dist', 'command.js'), 'run', ...names, '--lanes', '1', '--show', 'summary', '--stop-after', '1'];
  for (const name of options.judges.split(',')) {
    const names = name === 'all' ? ['tests', 'examples'] : reaching[name];
    if (names.length === 0) continue;
    const runs =
      name === 'base'
        ? [[join(folder, 'tests', 'root', 'run.mjs'), '--stop', ...names.map((project) => `--only=${project}`)]]
        : // The quick ones first, then the others one by one.
          [names.slice(0, quickFiles), ...names.slice(quickFiles).map((file) => [file])].map(suites);
    for (const args of name === 'all' ? [suites(names)] : runs) {
      const { status, output } = await runNode(args, folder, limits[name], name === 'base' ? { RED_LATTICE_PACKAGE: folder } : {}, runtime);
      if (status !== 0) return { by: name, how: status === 'hang' ? 'it hangs' : firstLine(output) };
    }
  }
  return { by: undefined };
}

const firstLine = (output) => (output.split('\n').find((line) => /^[✗!] /.test(line)) ?? output.trim().split('\n').at(-1) ?? '').slice(0, 160);

const all = allFaults();
const keys = new Set(all.map(keyOf));
for (const key of Object.keys(equivalent)) if (!keys.has(key)) console.error(`equivalent.json has a fault that cannot be planted any more: ${key}`);
const chosen = choose(
  all.filter((fault) => (!options.folder || fault.file.startsWith(`src/${options.folder}/`)) && equivalent[keyOf(fault)] === undefined),
  Number(options.sample),
  startRandom(`${options.seed}`),
);
const resultPath = join(workshop, `result-${options.folder ?? 'all'}-${options.sample}-${options.seed}.json`);
mkdirSync(workshop, { recursive: true });
const known = !options.fresh && existsSync(resultPath) ? JSON.parse(readFileSync(resultPath, 'utf8')).faults : {};
const results = {};
for (const fault of chosen) if (known[keyOf(fault)]) results[keyOf(fault)] = known[keyOf(fault)];
const keep = () =>
  writeFileSync(
    resultPath,
    `${JSON.stringify({ sample: chosen.length, of: all.length, seed: options.seed, judges: options.judges, faults: results }, null, 1)}\n`,
  );

if (options.show) for (const fault of chosen) console.log(`${fault.file}:${fault.line}  ${fault.kind}  ${fault.before}  →  ${fault.after}`);
else await measure();

async function measure() {
  const reach = readReach() ?? (await measureReach());
  const queue = chosen.filter((fault) => results[keyOf(fault)] === undefined);
  console.log(`${chosen.length} of ${all.length} faults, ${queue.length} to judge`);
  const worker = async (number) => {
    // Outside of the project: tests look for files from a folder upward.
    const folder = join(tmpdir(), `red-lattice-faults-${process.pid}-${number}`);
    makeCopy(folder);
    if (number === 0 && queue.length > 0) {
      const { by, how } = await judge(folder, testsOf(reach, { file: 'src/checks/equality.ts', functionLine: 0 }));
      if (by !== undefined) throw new Error(`the copy without a fault is judged red by ${by}: ${how}`);
    }
    for (let fault = queue.shift(); fault; fault = queue.shift()) {
      const path = join(folder, fault.file);
      const source = readFileSync(join(root, fault.file), 'utf8');
      writeFileSync(path, plant(source, fault.site));
      const begun = Date.now();
      const { runtime, ...reaching } = testsOf(reach, fault);
      const { by, how } = await judge(folder, reaching, isOfStarters(fault), runtime && installRuntime(runtime));
      writeFileSync(path, source);
      results[keyOf(fault)] = { line: fault.line, kind: fault.kind, seenBy: by ?? null, ...(how && { how }), seconds: Math.round((Date.now() - begun) / 1000) };
      keep();
      console.log(`${(by ?? 'NOBODY').padEnd(6)} ${fault.file}:${fault.line}  ${fault.kind}: ${fault.before.slice(0, 90)} → ${fault.after.slice(0, 90)}`);
    }
    removeCopy(folder);
  };
  await Promise.all(Array.from({ length: availableParallelism() }, (_, number) => worker(number)));
  const found = Object.values(results);
  const count = (by) => found.filter(({ seenBy }) => seenBy === by).length;
  console.log(
    `\nseen by: ${['build', ...options.judges.split(',')].map((by) => `${by} ${count(by)}`).join(', ')}; by nobody ${count(null)} of ${found.length}`,
  );
  console.log(`result: ${relative(root, resultPath)}`);
}
