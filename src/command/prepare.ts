import { join } from 'node:path';
import { renderProblem } from '../formats/human/run.ts';
import { CompileService } from '../node/compile-service.ts';
import type { Request } from '../node/coordination.ts';
import { failedIds, findRecord } from '../node/earlier.ts';
import { findFiles, rootOf } from '../node/find.ts';
import { ownFolder } from '../node/record.ts';
import type { Problem } from '../problems/problem.ts';
import { formatProblem } from '../problems/wording.ts';
import type { WrittenConfig } from '../suites/config.ts';
import { type Defaults, ordinaryDefaults } from '../suites/plan.ts';
import type { Target } from '../suites/selection.ts';
import type { FromRecords, SelectionOptions } from './options.ts';
import type { Setting } from './setting.ts';
import { createFormatting, refuse } from './terminal.ts';

/** What stands ready before a command's lanes get their job. */
export interface Prepared extends FromRecords {
  readonly root: string;
  readonly files: readonly string[];
  readonly targets: readonly Target[];
  readonly cache: string;
  readonly compiler: CompileService;
  readonly config: WrittenConfig;
  readonly defaults: Defaults;
  /** The tags in use, where the configuration says. */
  readonly tags: readonly string[] | undefined;
}

type Asked = Partial<Pick<SelectionOptions, 'tag' | 'notTag' | 'timeout' | 'balanceBy' | 'failed'>> & {
  readonly concurrency?: number;
  readonly retries?: number;
};

/** Reads the configuration, finds the test files and compiles them, while the lane boots. Nothing where what was asked for is not there. */
export async function prepare(where: readonly string[], asked: Asked, setting: Setting): Promise<Prepared | undefined> {
  const { folder, terminal } = setting;
  const root = rootOf(folder);
  const { config, problems: misconfigured } = await setting.configuration();
  if (misconfigured.length) {
    const formatting = createFormatting(root, terminal);
    for (const problem of misconfigured) for (const line of renderProblem(problem, formatting, terminal.style.red)) terminal.error(line);
    return undefined;
  }
  const { files, targets, problems } = await findFiles(where, folder, config.files);
  const tags = config.tags && Object.keys(config.tags);
  const unknown = [...(asked.tag ?? []), ...(asked.notTag ?? [])].filter((tag) => tags && !tags.includes(tag));
  const strange = unknown.map((name): Problem => ({ code: 'unknown-tag', name, owner: 'the configuration', known: tags ?? [] }));
  if (problems.length + strange.length > 0) {
    for (const problem of [...problems, ...strange]) refuse(terminal, formatProblem(problem));
    return undefined;
  }
  const times = asked.balanceBy === undefined ? undefined : findRecord(asked.balanceBy, root, folder)?.folder;
  if (asked.balanceBy !== undefined && times === undefined) {
    refuse(terminal, `--balance-by: ${asked.balanceBy} is not a run record`);
    return undefined;
  }
  const cache = join(ownFolder(root), 'cache');
  const compiler = new CompileService(cache);
  compiler.ahead(files);
  const defaults = {
    timeout: asked.timeout ?? config.timeout ?? ordinaryDefaults.timeout,
    concurrency: asked.concurrency ?? config.concurrency ?? ordinaryDefaults.concurrency,
    mostConcurrency: asked.concurrency,
    retries: asked.retries,
  };
  return { root, files, targets, cache, compiler, config, defaults, tags, times, failed: asked.failed ? failedIds(root) : undefined };
}

/** What a coordinator is asked for where nothing special is wanted: one lane, in the order of the plan. */
export function plainRequest(
  { root, files, cache, defaults, tags, config }: Prepared,
  asked: Pick<Request, 'mode' | 'selection' | 'loadTimeout' | 'record'>,
): Request {
  return {
    ...asked,
    root,
    files,
    cache,
    defaults,
    tags,
    redact: config.redact,
    seed: 0,
    everySpan: false,
    findLeaks: false,
    lanes: 1,
    shuffle: false,
    stopAfter: undefined,
    after: [],
    plan: undefined,
    before: { times: new Map(), wall: undefined },
  };
}
