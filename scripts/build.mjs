// Builds dist/: bundled entries, and the declarations.
// usage: build.mjs [source folder] [output folder] [--no-types] [--no-page] [--bare]    --bare: only what runs tests
import { execFileSync } from 'node:child_process';
import { chmodSync, copyFileSync, existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));
/** The source and output folders. Both can be elsewhere, for a copy of the project with a change. */
const [source = `${root}/src`, out = `${root}/dist`] = process.argv.slice(2).filter((argument) => !argument.startsWith('--'));
const bare = process.argv.includes('--bare');
const { dependencies, peerDependencies } = JSON.parse(readFileSync(`${root}/package.json`, 'utf8'));

rmSync(out, { recursive: true, force: true });
const options = {
  outdir: out,
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  // Small packages that every start needs are bundled, with their licences.
  external: [...Object.keys(dependencies), ...Object.keys(peerDependencies)],
  metafile: true,
  minifyWhitespace: true,
  minifySyntax: true,
  // Node prints the source line of an uncaught error.
  lineLimit: 160,
  logLevel: 'warning',
};
/**
 * Code that is loaded on demand is one file with its dependencies. Otherwise, reports would be many files at each start, and the code that
 * starts the first lane would be several.
 */
const apart = {
  name: 'apart',
  setup({ onResolve }) {
    for (const [filter, path] of [
      [/\/formats\/report\.ts$/, './reports.js'],
      [/^\.\/main\.ts$/, './main.js'],
    ])
      onResolve({ filter }, ({ kind }) => (kind === 'dynamic-import' ? { path, external: true } : undefined));
  },
};
// Bundled CommonJS packages need `require` in an ES module.
const banner = { js: "import { createRequire as requireFrom } from 'node:module';\nconst require = requireFrom(import.meta.url);" };
// Tests and the code that runs them share chunks, so that a fixture is the same class in both. The command does not run tests, and has its
// own chunks, so that a lane loads as few files as possible.
const builds = [
  await build({
    ...options,
    entryPoints: {
      index: `${source}/index.ts`,
      node: `${source}/node/index.ts`,
      lane: `${source}/node/lane-start.ts`,
      'lane-entry': `${source}/node/lane-entry.ts`,
    },
    chunkNames: 'part-[hash]',
  }),
  await build({ ...options, entryPoints: { command: `${source}/command/entry.ts` }, plugins: [apart], splitting: false }),
  await build({ ...options, entryPoints: { main: `${source}/command/main.ts` }, chunkNames: 'command-[hash]', plugins: [apart], banner }),
  ...(bare ? [] : [await build({ ...options, entryPoints: { reports: `${source}/formats/report.ts` }, splitting: false })]),
];
writeFileSync(`${out}/command.js`, `#!/usr/bin/env node\n${readFileSync(`${out}/command.js`, 'utf8')}`);
chmodSync(`${out}/command.js`, 0o755);

const inputs = builds.flatMap(({ metafile }) => Object.keys(metafile.inputs));
const bundled = new Set(inputs.flatMap((path) => /node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(path)?.[1] ?? []));
const notices = [...bundled].sort().map((name) => {
  const folder = `${root}/node_modules/${name}`;
  const licence = readdirSync(folder).find((file) => /^licen[cs]e/i.test(file));
  return `${name}\n\n${readFileSync(`${folder}/${licence}`, 'utf8').trim()}\n`;
});
writeFileSync(`${out}/THIRD-PARTY-NOTICES.txt`, notices.join(`\n${'-'.repeat(80)}\n\n`));
// The page is built from these sources. A copy of the command uses it unchanged.
if (!bare && !process.argv.includes('--no-page')) await import('./build-page.mjs');
if (existsSync(`${root}/page/dist/page.html`)) copyFileSync(`${root}/page/dist/page.html`, `${out}/page.html`);
if (!bare && !process.argv.includes('--no-types')) {
  execFileSync(process.execPath, [`${root}/node_modules/typescript/bin/tsc`, '-p', `${root}/scripts/declarations.json`], { cwd: root, stdio: 'inherit' });
}
