// Builds dist/: bundled entries that share their chunks, and the declarations.
import { execFileSync } from 'node:child_process';
import { chmodSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));
/** Where the sources are, and where the result goes: both may be elsewhere, for a copy with a change in it. */
const [source = `${root}/src`, out = `${root}/dist`] = process.argv.slice(2).filter((argument) => !argument.startsWith('--'));

const { dependencies } = JSON.parse(readFileSync(`${root}/package.json`, 'utf8'));
rmSync(out, { recursive: true, force: true });
const { metafile } = await build({
  entryPoints: { index: `${source}/index.ts`, node: `${source}/node/index.ts`, command: `${source}/command/entry.ts`, lane: `${source}/node/lane-entry.ts` },
  outdir: out,
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  // What is small and needed at every start is bundled; its licences go along.
  external: Object.keys(dependencies),
  metafile: true,
  chunkNames: 'part-[hash]',
  logLevel: 'warning',
});

writeFileSync(`${out}/command.js`, `#!/usr/bin/env node\n${readFileSync(`${out}/command.js`, 'utf8')}`);
chmodSync(`${out}/command.js`, 0o755);

const bundled = new Set(Object.keys(metafile.inputs).flatMap((path) => /node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(path)?.[1] ?? []));
const notices = [...bundled].sort().map((name) => {
  const folder = `${root}/node_modules/${name}`;
  const licence = readdirSync(folder).find((file) => /^licen[cs]e/i.test(file));
  return `${name}\n\n${readFileSync(`${folder}/${licence}`, 'utf8').trim()}\n`;
});
writeFileSync(`${out}/THIRD-PARTY-NOTICES.txt`, notices.join(`\n${'-'.repeat(80)}\n\n`));

if (!process.argv.includes('--no-types')) {
  execFileSync(process.execPath, [`${root}/node_modules/typescript/bin/tsc`, '-p', `${root}/scripts/declarations.json`], { cwd: root, stdio: 'inherit' });
}
