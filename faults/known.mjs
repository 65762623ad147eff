// Plants faults in copies of the runner, one in each: the trusted base, or the model of lifetimes, must fail on every one. Each is
// judged first by the project that saw it last (known-seen.json).
// usage: known.mjs [--keep] [part of a name]   (--keep: write that file)
import { execFile } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { parse } from 'yaml';
import { bundle } from '../scripts/bundle.mjs';
import { hostile } from '../tests/root/hostile/projects.mjs';
import { outcomes } from '../tests/root/outcomes.mjs';
import { replaceAtPlace } from './find-place.mjs';

const run = promisify(execFile);
const root = fileURLToPath(new URL('..', import.meta.url));
// Node would read additional certificates at each start.
delete process.env.NODE_EXTRA_CA_CERTS;
const workshop = join(root, '.red-lattice', 'known-faults');

const part = process.argv.slice(2).find((argument) => !argument.startsWith('--'));
const seenPath = join(root, 'faults', 'known-seen.json');
const seenBefore = JSON.parse(readFileSync(seenPath, 'utf8'));
const seenNow = { ...seenBefore };
const judges = parse(readFileSync(new URL('known.yaml', import.meta.url), 'utf8'));
const all = Object.entries(judges).flatMap(([judge, faults]) => faults.map((fault) => ({ ...fault, judge })));
const chosen = all.filter(({ name }) => !part || name.includes(part));
const stale = chosen.flatMap(({ name, file, before, after }) => {
  try {
    replaceAtPlace(readFileSync(join(root, 'src', file), 'utf8'), before, after);
    return [];
  } catch (error) {
    return [`the fault "${name}", in src/${file}: ${error.message}:\n${before}\n`];
  }
});
for (const message of stale) console.error(message);
if (stale.length > 0) process.exit(1);
rmSync(workshop, { recursive: true, force: true });
const queue = [...chosen.entries()];
const unseen = [];
/** The names of the small projects, the longest first. */
const names = [...outcomes, ...hostile].map(({ name }) => name).sort((a, b) => b.length - a.length);

async function plant([number, { name, file, before, after, judge }]) {
  const folder = join(workshop, String(number));
  const path = join(root, 'src', file);
  mkdirSync(folder, { recursive: true });
  cpSync(join(root, 'package.json'), join(folder, 'package.json'));
  const text = replaceAtPlace(readFileSync(path, 'utf8'), before, after);
  await bundle(join(root, 'src'), join(folder, 'dist'), { isBare: true, change: { file: path, text } });
  const judging =
    judge === 'base'
      ? run(process.execPath, [join(root, 'tests', 'root', 'run.mjs'), '--stop', ...(seenBefore[name] ? [`--first=${seenBefore[name]}`] : [])], {
          env: { ...process.env, RED_LATTICE_PACKAGE: folder },
          maxBuffer: 1 << 26,
        })
      : run(process.execPath, [join(root, 'faults', 'lifetimes.mjs'), folder, folder], { maxBuffer: 1 << 26 });
  const seen = await judging.then(
    () => undefined,
    (error) =>
      String(error.stdout)
        .split('\n')
        .find((line) => line.startsWith('✗')) ?? `the judge itself broke: ${error.stderr}`,
  );
  rmSync(folder, { recursive: true, force: true });
  if (seen?.startsWith('✗')) {
    // Names can contain colons.
    const project = names.find((known) => seen.startsWith(`✗ ${known}: `)) ?? seen.slice(2).split(': ')[0];
    if (judge === 'base') seenNow[name] = project;
    console.log(`seen    ${name}  (${project})`);
  } else {
    unseen.push(name);
    console.log(`UNSEEN  ${name}${seen ? `: ${seen}` : ''}`);
  }
}

const worker = async () => {
  for (let next = queue.shift(); next; next = queue.shift()) await plant(next);
};
// Many projects wait for processes.
await Promise.all(Array.from({ length: availableParallelism() * 2 }, worker));
rmSync(workshop, { recursive: true, force: true });
if (process.argv.includes('--keep')) writeFileSync(seenPath, `${JSON.stringify(seenNow, null, 2)}\n`);
console.log(`\n${chosen.length - unseen.length} of ${chosen.length} known faults are seen`);
if (unseen.length > 0) process.exitCode = 1;
