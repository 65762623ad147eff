// Lists functions, cases and catches that no test runs, and conditions that are always true or always false in all tests, or never reached.
// Each process writes what it reaches at once, so that killed processes count, too.
// usage: branches.mjs [where…]    writes .red-lattice/faults/branches.txt; where: test files or folders, default: all and the base
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { environment, makeCopy, removeCopy, root, sourceFiles, workshop } from './copy.mjs';
import { callFirst, replaceRanges } from './ranges.mjs';
import { findFunctions, visitCode } from './sites.mjs';

const [TRUE, FALSE] = [2, 1];
/** What is recorded, in the order of the numbers in the instrumented code: `{ file, line, kind, text }`. */
const points = [];

/** Inserts the records into a source file. */
function instrument(file, source) {
  const ranges = [];
  const add = (kind, line, text) => points.push({ file, line, kind, text: text.replace(/\s+/g, ' ').slice(0, 100) }) - 1;
  const wrap = (kind, { start, end, loc }) => {
    const point = add(kind, loc.start.line, source.slice(start, end));
    ranges.push({ start, end, write: (inner) => `__branch(${point},(${inner}))` });
  };
  const mark = (kind, at, line, text) => {
    const point = add(kind, line, text);
    ranges.push({ start: at, end: at, write: () => `__branch(${point},true);` });
  };
  visitCode(source, (node) => {
    if (/^(?:If|While|DoWhile|For)Statement$|^ConditionalExpression$/.test(node.type) && node.test && node.test.type !== 'BooleanLiteral')
      wrap('condition', node.test);
    if (node.type === 'LogicalExpression') wrap(node.operator === '??' ? 'nullish' : 'condition', node.left);
    if (node.type === 'CatchClause') mark('catch', node.body.start + 1, node.loc.start.line, 'catch');
    if (node.type === 'SwitchCase') {
      const colon = source.indexOf(':', node.test?.end ?? node.start);
      mark('case', colon + 1, node.loc.start.line, source.slice(node.start, colon));
    }
  });
  const lines = source.split('\n');
  for (const body of findFunctions(source)) {
    const point = add('function', body.line, lines[body.line - 1].trim());
    ranges.push(callFirst(body, `__branch(${point},true)`));
  }
  return `const __branch = globalThis.__branch ?? ((_: number, value: any): any => value);${replaceRanges(source, ranges)}`;
}

const preload = (notes) => `const { appendFileSync } = require('node:fs');
const nullish = new Set(${JSON.stringify(points.flatMap(({ kind }, i) => (kind === 'nullish' ? [i] : [])))});
const seen = new Uint8Array(${points.length});
globalThis.__branch = (point, value) => {
  const side = (nullish.has(point) ? value != null : value) ? ${TRUE} : ${FALSE};
  if ((seen[point] & side) === 0) {
    seen[point] |= side;
    try { appendFileSync(${JSON.stringify(notes)}, point + ' ' + side + '\\n'); } catch {}
  }
  return value;
};`;

/** Why a point is listed. Undefined if tests take all of it. */
function explainSides({ kind }, sides) {
  if (sides === (TRUE | FALSE) || (sides === TRUE && /^(?:function|catch|case)$/.test(kind))) return undefined;
  if (sides === 0) return `never ${kind === 'condition' || kind === 'nullish' ? 'reached' : 'runs'}`;
  const isTrue = sides === TRUE;
  return kind === 'nullish' ? (isTrue ? 'never nullish' : 'always nullish') : isTrue ? 'always true' : 'always false';
}

const folder = join(tmpdir(), `red-lattice-branches-${process.pid}`);
mkdirSync(workshop, { recursive: true });
const [notes, preloadPath] = [join(workshop, 'branches-seen.txt'), join(workshop, 'branches.cjs')];
rmSync(notes, { force: true });
makeCopy(folder);
for (const file of sourceFiles('src')) writeFileSync(join(folder, file), instrument(file, readFileSync(join(root, file), 'utf8')));
writeFileSync(preloadPath, preload(notes));
const run = (args, more = {}) => spawnSync(process.execPath, args.map(String), { cwd: folder, stdio: 'inherit', env: { ...environment, ...more } });
if (run(['scripts/build.mjs', '--no-types']).status !== 0) process.exit(1);
// Tests of sizes, of source lines and of declarations fail in this copy.
const observed = { NODE_OPTIONS: `--require ${preloadPath}`, RED_LATTICE_PACKAGE: folder };
const where = process.argv.slice(2);
if (where.length === 0) run(['tests/root/run.mjs'], observed);
run(['dist/command.js', 'run', ...(where.length > 0 ? where : ['tests', 'examples']), '--lanes', availableParallelism() + 1, '--show', 'summary'], observed);
removeCopy(folder);
const seen = new Uint8Array(points.length);
for (const note of readFileSync(notes, 'utf8').split('\n')) {
  const [point, side] = note.split(' ').map(Number);
  if (side) seen[point] |= side;
}
const listed = points.flatMap((point, i) => {
  const why = explainSides(point, seen[i]);
  return why ? [{ ...point, why }] : [];
});
listed.sort((a, b) => (a.file < b.file ? -1 : a.file > b.file ? 1 : a.line - b.line));
const path = join(workshop, 'branches.txt');
writeFileSync(path, listed.map(({ file, line, why, text }) => `${file}:${line}  ${why}: ${text}\n`).join(''));
const counts = new Map();
for (const { why } of listed) counts.set(why, (counts.get(why) ?? 0) + 1);
console.log(`${listed.length} of ${points.length} are not tested on both sides: ${[...counts].map(([why, count]) => `${count} ${why}`).join(', ')}`);
for (const made of [notes, preloadPath]) rmSync(made);
console.log(`list: ${relative(root, path)}`);
