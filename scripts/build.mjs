// Builds dist/: bundled entries that share their chunks, and the declarations.
import { execFileSync } from 'node:child_process';
import { chmodSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));
/** Where the sources are, and where the result goes: both may be elsewhere, for a copy with a change in it. */
const [source = `${root}/src`, out = `${root}/dist`] = process.argv.slice(2).filter((argument) => !argument.startsWith('--'));

rmSync(out, { recursive: true, force: true });
await build({
  entryPoints: { index: `${source}/index.ts`, node: `${source}/node/index.ts`, command: `${source}/command/main.ts`, lane: `${source}/node/lane-entry.ts` },
  outdir: out,
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  packages: 'external',
  chunkNames: 'part-[hash]',
  logLevel: 'warning',
});

writeFileSync(`${out}/command.js`, `#!/usr/bin/env node\n${readFileSync(`${out}/command.js`, 'utf8')}`);
chmodSync(`${out}/command.js`, 0o755);
if (!process.argv.includes('--no-types')) {
  execFileSync(process.execPath, [`${root}/node_modules/typescript/bin/tsc`, '-p', `${root}/scripts/declarations.json`], { cwd: root, stdio: 'inherit' });
}
