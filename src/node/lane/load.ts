import { statSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import { pathToFileURL } from 'node:url';
import { describeThrown, isInstanceOf } from '../../problems/instance-of.ts';
import { findNearestName } from '../../problems/nearest-name.ts';
import type { Problem } from '../../problems/problem.ts';
import { parseFrames } from '../../problems/source-location.ts';
import { startTimer, stopTimer } from '../../running/globals.ts';
import type { LoadedFile } from '../../suites/plan.ts';
import { FolderDefaultsImpl, type Options } from '../../suites/suite.ts';
import { findPlaceOfImport } from '../loading/import-place.ts';
import type { ModuleLoader } from '../loading/module-loader.ts';

const endings = ['.ts', '.mts', '.js', '.mjs'];

/** Loads one test file and the folder options around it. An error that a file throws becomes a problem. */
export function loadFile(path: string, root: string, modules: ModuleLoader, limit: number): Promise<LoadedFile | Problem> {
  return new Promise((resolve) => {
    const file = relative(root, path).split(sep).join('/');
    const timer = startTimer(
      () => resolve({ code: 'load-failed', file, cause: 'timeout', reason: `not loaded within ${limit} ms; is there a top-level await that never settles?` }),
      limit,
    );
    void load(path, root, modules).then((outcome) => {
      stopTimer(timer);
      resolve(outcome);
    });
  });
}

async function load(path: string, root: string, modules: ModuleLoader): Promise<LoadedFile | Problem> {
  const file = relative(root, path).split(sep).join('/');
  try {
    const url = pathToFileURL(path);
    const folders: Options[] = [];
    for (const defaults of listFolderFiles(path, root)) {
      modules.graph.track(url.href, pathToFileURL(defaults).href);
      const { default: given } = await modules.import(pathToFileURL(defaults).href);
      if (given instanceof FolderDefaultsImpl) folders.push(given.options);
    }
    return { file, url, exports: await modules.import(url.href), folders };
  } catch (error) {
    const reason = `${reasonOf(error)}${await suggestExport(error)}`;
    return {
      code: 'load-failed',
      file,
      cause: 'throw',
      reason,
      at: findPlaceOfImport(error, pathToFileURL(path).href) ?? parseFrames((error as Error | undefined)?.stack)[0],
    };
  }
}

/** The `folder.lattice.*` files from the root to the file's folder, outermost first. */
function listFolderFiles(path: string, root: string): string[] {
  const found: string[] = [];
  for (let folder = dirname(path); folder.startsWith(root); folder = dirname(folder)) {
    const name = endings.map((ending) => join(folder, `folder.lattice${ending}`)).find((candidate) => statSync(candidate, { throwIfNoEntry: false })?.isFile());
    if (name) found.unshift(name);
    if (folder === dirname(folder)) break;
  }
  return found;
}

/** For an import that this package does not export: the intended name, and the module to import it from. */
async function suggestExport(error: unknown): Promise<string> {
  const [, module, name] =
    /^The requested module '(red-lattice(?:\/node)?)' does not provide an export named '(\w+)'/.exec((error as Error | undefined)?.message ?? '') ?? [];
  if (module === undefined || name === undefined) return '';
  const modules = { 'red-lattice': Object.keys(await import('../../index.ts')), 'red-lattice/node': Object.keys(await import('../index.ts')) };
  for (const [other, names] of Object.entries(modules)) if (names.includes(name)) return `. Import it from \`${other}\`.`;
  const near = findNearestName(name, Object.values(modules).flat());
  if (near === undefined) return '';
  const home = Object.entries(modules).find(([, names]) => names.includes(near))?.[0];
  return `; did you mean \`${near}\`${home === module ? '' : ` from \`${home}\``}?`;
}

function reasonOf(error: unknown): string {
  if (!isInstanceOf(error, Error)) return `it threw ${describeThrown(error)}`;
  return error.name === 'Error' || error.name === 'ProblemError' ? error.message : `${error.name}: ${error.message}`;
}
