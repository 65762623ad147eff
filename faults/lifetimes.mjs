// Compares generated projects, as a copy of the library runs them, with the model of tests/fixtures/. Exit status 1 at the first
// difference. Used to see that faults in lifetimes are found.
// usage: lifetimes.mjs <package folder> <temporary directory>
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { build } from 'esbuild';

const [folder, scratch] = process.argv.slice(2);
const PROJECTS = 600;
const entry = fileURLToPath(new URL('../tests/fixtures/compare.ts', import.meta.url));
const outfile = join(scratch, 'compare.mjs');
await build({
  entryPoints: [entry],
  outfile,
  bundle: true,
  format: 'esm',
  platform: 'node',
  alias: { 'red-lattice': join(folder, 'dist', 'index.js') },
  external: ['papaparse'],
  logLevel: 'error',
});
const { differenceOf } = await import(pathToFileURL(outfile).href);
const late = setTimeout(() => {
  console.log('✗ a made-up project: it does not end');
  process.exit(1);
}, 30_000);
for (let seed = 0; seed < PROJECTS; seed++) {
  const difference = await differenceOf(seed).catch((error) => `it broke: ${error.message}`);
  if (difference === undefined) continue;
  console.log(`✗ made-up project ${seed}: ${difference}`);
  process.exit(1);
}
clearTimeout(late);
