// Prints source files that are too long and imports that form a cycle; fails if there is either.
// usage: check-structure.mjs
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { root } from './steps.mjs';

const MAX_LINES = 400;
const folders = ['src', 'page/src', 'scripts', 'bench', 'faults'];

const files = folders.flatMap((folder) =>
  readdirSync(join(root, folder), { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile() && /(?<!\.d)\.(?:ts|tsx|mjs)$/.test(entry.name))
    .map((entry) => join(entry.parentPath ?? entry.path, entry.name)),
);
const sources = new Map(files.map((file) => [file, readFileSync(file, 'utf8')]));

/** The files that a file imports at run time. Imports of types only disappear. */
const importsOf = (file) =>
  [...sources.get(file).matchAll(/^(?:import|export) (?!type )(?:[^'";]*? from )?'(\.[^']+)'/gms)]
    .filter(([statement]) => !/^(?:import|export) \{(?:\s*type [\w$]+(?: as [\w$]+)?,?)+\s*\} from/.test(statement))
    .map(([, path]) => resolve(dirname(file), path))
    .filter((path) => sources.has(path));

/** Cycles, each as the path that leads back to its beginning. */
function findCycles() {
  const done = new Set();
  const cycles = [];
  const visit = (file, path) => {
    const at = path.indexOf(file);
    if (at >= 0) cycles.push([...path.slice(at), file]);
    if (at >= 0 || done.has(file)) return;
    for (const imported of importsOf(file)) visit(imported, [...path, file]);
    done.add(file);
  };
  for (const file of files) visit(file, []);
  return cycles;
}

const name = (file) => relative(root, file);
const long = files.filter((file) => sources.get(file).split('\n').length - 1 > MAX_LINES);
const cycles = findCycles();
for (const file of long) console.log(`${name(file)}: ${sources.get(file).split('\n').length - 1} lines; at most ${MAX_LINES}`);
for (const cycle of cycles) console.log(`import cycle: ${cycle.map(name).join(' → ')}`);
console.log(`${files.length} files, ${long.length} too long, ${cycles.length} import cycles`);
if (long.length + cycles.length > 0) process.exitCode = 1;
