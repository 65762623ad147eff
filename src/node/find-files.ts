import { type Dirent, existsSync, readdirSync, readFileSync, realpathSync, type Stats, statSync } from 'node:fs';
import { dirname, isAbsolute, join, relative, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { findNearestName } from '../problems/nearest-name.ts';
import type { Problem } from '../problems/problem.ts';
import type { Target } from '../suites/selection.ts';
import { findConfigurationIn } from './configuration.ts';

const testFile = /(?<!(?:^|[/\\])folder)\.lattice\.(?:m?[tj]s|[tj]sx)$/;
/** The names of test files, for messages. */
const testFileName = '*.lattice.ts, .mts, .js, .mjs';
const script = /\.[cm]?[jt]sx?$/;
const ignored = ['**/node_modules/**', '**/.*/**', '**/folder.lattice.*'];

export interface FoundFiles {
  /** Absolute paths of the test files, in order of their paths. */
  readonly files: readonly string[];
  /** The requested lines and files within them. Empty if whole folders and files were requested. */
  readonly targets: readonly Target[];
  readonly problems: readonly Problem[];
}

/** Finds the root of ids: the nearest folder upward with a package.json or a configuration. */
export function findRoot(folder: string): string {
  for (let at = folder; ; at = dirname(at)) {
    if (findConfigurationIn(at) !== undefined || existsSync(join(at, 'package.json'))) return at;
    if (at === dirname(at)) return folder;
  }
}

/**
 * Finds the test files for folders, files, patterns and `file:line`. Default: all from the current folder down.
 *
 * A data file, with or without a line, selects the cases that come from it. All test files are read then.
 */
export async function findFiles(where: readonly string[], folder: string, patterns?: readonly string[]): Promise<FoundFiles> {
  const files = new Set<string>();
  const targets: Target[] = [];
  const problems: Problem[] = [];
  let wholes = 0;
  for (const given of where.length ? where : ['.']) {
    const { path, line } = takeLine(given, folder);
    const entry = statSync(path, { throwIfNoEntry: false });
    const url = pathToFileURL(path).href;
    if (entry?.isDirectory()) {
      wholes++;
      const below = await testFiles(patterns, path);
      if (below.length === 0)
        problems.push({
          code: 'unknown-target',
          target: given,
          reason: `no test files (${testFileName}) in this folder or below. red-lattice new <name> creates one.`,
        });
      for (const file of below) files.add(file);
    } else if (entry?.isFile()) {
      if (testFile.test(path)) {
        const lines = line === undefined ? 0 : readFileSync(path, 'utf8').trimEnd().split('\n').length;
        if ((line ?? 0) > lines) problems.push({ code: 'unknown-target', target: given, reason: `the file ends at line ${lines}` });
        files.add(path);
      } else {
        // The data of another package is read by the tests of that package.
        const all = await testFiles(patterns, relative(folder, path).startsWith('..') ? findRoot(dirname(path)) : folder);
        // A script is not a data file.
        if (script.test(path) && !all.includes(path))
          problems.push({ code: 'unknown-target', target: given, reason: `its name is not that of a test file (${testFileName})` });
        for (const file of all) files.add(file);
      }
      targets.push({ url, line });
    } else {
      const matching = /[*?{[]/.test(given) ? await glob([given], folder) : [];
      for (const file of matching) {
        files.add(file);
        targets.push({ url: pathToFileURL(file).href });
      }
      if (matching.length === 0) problems.push(await buildNotFoundProblem(given, folder));
    }
  }
  // A whole folder includes every case of its files, so that single targets must not exclude any.
  return { files: [...files].sort(), targets: wholes > 0 ? [] : targets, problems };
}

function takeLine(given: string, folder: string): { path: string; line: number | undefined } {
  const match = /^(.+?):(\d+)(?::\d+)?$/.exec(given);
  const path = findPath(given, folder);
  if (!match || existsSync(path)) return { path, line: undefined };
  return { path: findPath(match[1] as string, folder), line: Number(match[2]) };
}

/** Resolves a path from the current folder, or from the project's root if it exists only there: output names files from the root. */
export function findPath(given: string, folder: string): string {
  const path = resolve(folder, given);
  if (existsSync(path)) return path;
  const fromRoot = resolve(findRoot(folder), given);
  return existsSync(fromRoot) ? fromRoot : path;
}

const testFiles = async (patterns: readonly string[] | undefined, folder: string): Promise<string[]> =>
  patterns ? glob(patterns, folder) : testFilesBelow(folder);

/**
 * All test files of a folder. Most runs need only this, and patterns take time to load.
 *
 * `ancestors` are the real paths of the folders above: a link to one of them is not followed.
 */
function testFilesBelow(folder: string, ancestors: readonly string[] = [realpathSync(folder)]): string[] {
  return listEntries(folder).flatMap((entry) => {
    if (entry.name.startsWith('.') || entry.name === 'node_modules') return [];
    const path = join(folder, entry.name);
    const kind = entry.isSymbolicLink() ? statIfAny(path) : entry;
    if (kind?.isFile()) return testFile.test(entry.name) ? [path] : [];
    if (!kind?.isDirectory()) return [];
    const real = entry.isSymbolicLink() ? realpathSync(path) : join(ancestors.at(-1) as string, entry.name);
    return ancestors.includes(real) ? [] : testFilesBelow(path, [...ancestors, real]);
  });
}

/** The status of a link's target. Undefined if the link is broken, or leads to itself. */
function statIfAny(path: string): Stats | undefined {
  try {
    return statSync(path);
  } catch {
    return undefined;
  }
}

/** The entries of a folder. Empty if it cannot be read. */
function listEntries(folder: string): Dirent[] {
  try {
    return readdirSync(folder, { withFileTypes: true });
  } catch {
    return [];
  }
}

async function glob(patterns: readonly string[], folder: string): Promise<string[]> {
  const { glob: find } = await import('tinyglobby');
  const found = await find(
    patterns.map((one) => (isAbsolute(one) ? relative(folder, one) : one)),
    { cwd: folder, ignore: ignored, absolute: true, expandDirectories: false },
  );
  const loops = new Map<string, boolean>();
  const isInLoop = (at: string): boolean => {
    const known = loops.get(at) ?? isLooped(at, folder);
    loops.set(at, known);
    return known;
  };
  return found.filter((file) => !isInLoop(dirname(file))).sort();
}

/** Whether a path below a folder goes through a link to one of the folders above. */
function isLooped(path: string, folder: string): boolean {
  const above = new Set<string>();
  for (let at = path; ; at = dirname(at)) {
    const real = realpathSync(at);
    if (above.has(real)) return true;
    above.add(real);
    if (at === folder || at === dirname(at)) return false;
  }
}

async function buildNotFoundProblem(given: string, folder: string): Promise<Problem> {
  const name = given.replace(/:\d+$/, '');
  const namesFrom = (start: string): string[] => testFilesBelow(start).map((file) => relative(start, file));
  const root = findRoot(folder);
  const near = findNearestName(name, root === folder ? namesFrom(folder) : [...namesFrom(folder), ...namesFrom(root)]);
  return { code: 'unknown-target', target: given, reason: `no such file or folder${near ? `; did you mean ${near}?` : ''}` };
}
