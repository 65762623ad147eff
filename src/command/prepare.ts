import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { renderProblem } from '../formats/human/run.ts';
import { CompileService } from '../node/compile-service.ts';
import { findConfiguration } from '../node/configuration.ts';
import { failedIds, findRecord } from '../node/earlier-runs.ts';
import { findFiles, findRoot } from '../node/find-files.ts';
import { findStateFolder } from '../node/record.ts';
import type { RunRequest } from '../node/run-request.ts';
import { formatProblem } from '../problems/format-problem.ts';
import type { Problem } from '../problems/problem.ts';
import type { SerializedConfig } from '../suites/config.ts';
import { BUILT_IN_DEFAULTS, type Defaults } from '../suites/plan.ts';
import type { Target } from '../suites/selection.ts';
import type { CommandContext } from './command-context.ts';
import type { RecordSelection, SelectionOptions } from './options.ts';
import { createFormatting, failWith } from './terminal.ts';

/** What a command prepares before its lanes get their job. */
export interface CommandInputs extends RecordSelection {
  readonly root: string;
  readonly files: readonly string[];
  readonly targets: readonly Target[];
  readonly cache: string;
  readonly compiler: CompileService;
  readonly config: SerializedConfig;
  readonly defaults: Defaults;
  /** The known tags, if the configuration has them. */
  readonly tags: readonly string[] | undefined;
}

type PrepareOptions = Partial<Pick<SelectionOptions, 'tag' | 'notTag' | 'timeout' | 'balanceBy' | 'failed'>> & {
  readonly concurrency?: number;
  readonly retries?: number;
};

/**
 * Reads the configuration, finds the test files and compiles them, while the lane boots. Returns undefined after an error, which has been
 * printed.
 */
export async function prepare(
  where: readonly string[],
  options: PrepareOptions,
  setting: CommandContext,
  isReload = false,
): Promise<CommandInputs | undefined> {
  const { folder, terminal } = setting;
  const root = findRoot(folder);
  const { config, problems: misconfigured } = await setting.configuration(isReload);
  if (misconfigured.length) {
    const formatting = createFormatting(root, terminal);
    for (const problem of misconfigured) for (const line of renderProblem(problem, formatting, terminal.style.red)) terminal.error(line);
    return undefined;
  }
  const { files, targets, problems } = await findFiles(where, folder, config.files);
  const tags = config.tags && Object.keys(config.tags);
  const unknown = [...(options.tag ?? []), ...(options.notTag ?? [])].filter((tag) => tags && !tags.includes(tag));
  const tagProblems = unknown.map((name): Problem => ({ code: 'unknown-tag', name, owner: 'the configuration', known: tags ?? [] }));
  if (problems.length + tagProblems.length > 0) {
    for (const problem of [...problems, ...tagProblems]) failWith(terminal, formatProblem(problem));
    return undefined;
  }
  const times = options.balanceBy === undefined ? undefined : findRecord(options.balanceBy, root, folder)?.folder;
  if (options.balanceBy !== undefined && times === undefined) {
    failWith(terminal, `--balance-by: ${options.balanceBy} is not a run record`);
    return undefined;
  }
  const cache = join(findStateFolder(root), 'cache');
  const compiler = new CompileService(cache);
  compiler.compileAhead(files);
  const defaults: Defaults = {
    timeout: options.timeout ?? config.timeout ?? BUILT_IN_DEFAULTS.timeout,
    concurrency: options.concurrency ?? config.concurrency ?? BUILT_IN_DEFAULTS.concurrency,
    maxConcurrency: options.concurrency,
    retries: options.retries,
  };
  return { root, files, targets, cache, compiler, config, defaults, tags, times, failed: options.failed ? failedIds(root) : undefined };
}

/** A request with defaults: one lane, in the order of the plan. */
export function buildDefaultRequest(
  { root, files, cache, defaults, tags, config }: CommandInputs,
  options: Pick<RunRequest, 'mode' | 'selection' | 'loadTimeout' | 'record'>,
): RunRequest {
  return {
    ...options,
    root,
    files,
    cache,
    defaults,
    tags,
    redact: config.redact,
    loaders: config.loaders && { byExtension: config.loaders, configuration: pathToFileURL(findConfiguration(root) as string).href },
    seed: 0,
    everySpan: false,
    findLeaks: false,
    lanes: 1,
    shuffle: false,
    stopAfter: undefined,
    after: [],
    plan: undefined,
    before: { times: new Map(), milliseconds: undefined },
  };
}
