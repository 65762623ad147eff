// Bundles the sources of the package into its entries.
import { chmodSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));
const { dependencies, peerDependencies } = JSON.parse(readFileSync(`${root}/package.json`, 'utf8'));

const options = {
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
const separately = {
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

/** Replaces the text of one source file. */
const changing = ({ file, text }) => ({
  name: 'changing',
  setup({ onLoad }) {
    onLoad({ filter: new RegExp(`^${file.replace(/[^\w/]/g, '\\$&')}$`) }, () => ({ contents: text, loader: 'ts' }));
  },
});

/**
 * Writes the entries to a folder, which is emptied before. Returns the names of the packages that are bundled.
 * `isBare`: only what runs tests. `change`: the path of a source file, and the text to use instead of its content.
 */
export async function bundle(source, out, { isBare = false, change } = {}) {
  rmSync(out, { recursive: true, force: true });
  const changes = change ? [changing(change)] : [];
  const write = (entryPoints, more) => build({ ...options, outdir: out, entryPoints, ...more, plugins: [...(more.plugins ?? []), ...changes] });
  // Tests and the code that runs them share chunks, so that a fixture is the same class in both. The command does not run tests, and has its
  // own chunks, so that a lane loads as few files as possible.
  const builds = await Promise.all([
    write(
      {
        index: `${source}/index.ts`,
        node: `${source}/node/index.ts`,
        lane: `${source}/node/lane-start.ts`,
        'lane-entry': `${source}/node/lane-entry.ts`,
      },
      { chunkNames: 'part-[hash]' },
    ),
    write({ command: `${source}/command/entry.ts` }, { plugins: [separately], splitting: false }),
    write({ main: `${source}/command/main.ts` }, { chunkNames: 'command-[hash]', plugins: [separately], banner }),
    ...(isBare ? [] : [write({ reports: `${source}/formats/report.ts` }, { splitting: false })]),
  ]);
  writeFileSync(`${out}/command.js`, `#!/usr/bin/env node\n${readFileSync(`${out}/command.js`, 'utf8')}`);
  chmodSync(`${out}/command.js`, 0o755);
  const inputs = builds.flatMap(({ metafile }) => Object.keys(metafile.inputs));
  return [...new Set(inputs.flatMap((path) => /node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(path)?.[1] ?? []))].sort();
}
