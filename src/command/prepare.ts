import { join } from 'node:path';
import { oneLine } from '../formats/style.ts';
import { CompileService } from '../node/compile-service.ts';
import { findFiles, rootOf } from '../node/find.ts';
import { ownFolder } from '../node/record.ts';
import { wording } from '../problems/wording.ts';
import type { Target } from '../suites/selection.ts';
import type { Setting } from './setting.ts';

/** What stands ready before a command's lanes get their job. */
export interface Prepared {
  readonly root: string;
  readonly files: readonly string[];
  readonly targets: readonly Target[];
  readonly cache: string;
  readonly compiler: CompileService;
}

/** Finds the test files and compiles them, while the lane boots. Nothing where what was asked for is not there. */
export async function prepare(where: readonly string[], { folder, terminal }: Setting): Promise<Prepared | undefined> {
  const root = rootOf(folder);
  const { files, targets, problems } = await findFiles(where, folder);
  if (problems.length) {
    for (const problem of problems) terminal.error(`red-lattice: ${oneLine(wording(problem))}`);
    return undefined;
  }
  const cache = join(ownFolder(root), 'cache');
  const compiler = new CompileService(cache);
  compiler.ahead(files);
  return { root, files, targets, cache, compiler };
}
