// Builds dist/: bundled entries, and the declarations.
// usage: build.mjs [source folder] [output folder] [--no-types] [--no-page] [--bare]    --bare: only what runs tests
import { execFileSync } from 'node:child_process';
import { copyFileSync, existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { bundle } from './bundle.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
/** The source and output folders. Both can be elsewhere, for a copy of the project with a change. */
const [source = `${root}/src`, out = `${root}/dist`] = process.argv.slice(2).filter((argument) => !argument.startsWith('--'));
const isBare = process.argv.includes('--bare');

const packages = await bundle(source, out, { isBare });
const notices = packages.map((name) => {
  const folder = `${root}/node_modules/${name}`;
  const licence = readdirSync(folder).find((file) => /^licen[cs]e/i.test(file));
  return `${name}\n\n${readFileSync(`${folder}/${licence}`, 'utf8').trim()}\n`;
});
writeFileSync(`${out}/THIRD-PARTY-NOTICES.txt`, notices.join(`\n${'-'.repeat(80)}\n\n`));
// The page is built from these sources. A copy of the command uses it unchanged.
if (!isBare && !process.argv.includes('--no-page')) await import('./build-page.mjs');
if (existsSync(`${root}/page/dist/page.html`)) copyFileSync(`${root}/page/dist/page.html`, `${out}/page.html`);
if (!isBare && !process.argv.includes('--no-types')) {
  execFileSync(process.execPath, [`${root}/node_modules/typescript/bin/tsc`, '-p', `${root}/scripts/declarations.json`], { cwd: root, stdio: 'inherit' });
}
