// Prepares the package's Markdown for publishing: relative links to files outside the package become links to the repository.
// usage: pack-links.mjs [folder] [--restore]    (--restore: put the original files back)
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, posix } from 'node:path';
import { root } from './steps.mjs';

const folder = process.argv.slice(2).find((argument) => !argument.startsWith('--')) ?? root;
const backup = join(folder, '.red-lattice', 'unpacked-docs');
const { homepage } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));

const pages = ['README.md', 'CHANGELOG.md', ...readdirSync(join(folder, 'docs')).flatMap((name) => (name.endsWith('.md') ? [`docs/${name}`] : []))];
const isPacked = (path) => pages.includes(path) || path === 'LICENSE' || path.startsWith('schema/');

/** Makes the links of a page absolute: files that are not in the package point to the repository, pictures to their raw contents. */
function withAbsoluteLinks(text, page) {
  return text.replace(/(!?)\[([^\]]*)\]\((?!https?:|#)([^)#\s]+)(#[^)\s]*)?\)/g, (link, sign, label, target, anchor = '') => {
    const path = posix.normalize(posix.join(posix.dirname(page), target));
    return isPacked(path) ? link : `${sign}[${label}](${homepage}/${sign ? 'raw' : 'blob'}/main/${path}${anchor})`;
  });
}

if (process.argv.includes('--restore')) {
  for (const page of pages) {
    const before = join(backup, basename(page));
    if (existsSync(before)) writeFileSync(join(folder, page), readFileSync(before));
  }
  rmSync(backup, { recursive: true, force: true });
} else {
  mkdirSync(backup, { recursive: true });
  for (const page of pages) {
    const text = readFileSync(join(folder, page), 'utf8');
    const before = join(backup, basename(page));
    mkdirSync(dirname(before), { recursive: true });
    if (!existsSync(before)) writeFileSync(before, text);
    writeFileSync(join(folder, page), withAbsoluteLinks(text, page));
  }
}
