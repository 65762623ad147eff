import { rmSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { formatCount } from '../formats/style.ts';
import { failedIds } from '../node/earlier-runs.ts';
import { findFiles } from '../node/find-files.ts';
import type { Selection } from '../suites/selection.ts';
import type { CommandContext } from './command-context.ts';
import { getInterruptStatus, type Interruption, interrupt } from './interruption.ts';
import type { CommandInputs } from './prepare.ts';
import { type RunCommandOptions, runOnce } from './run-once.ts';

/** Inputs that depend on the configuration. */
export interface WatchInputs {
  readonly prepared: CommandInputs;
  readonly selection: Selection;
}

interface Watching {
  readonly where: readonly string[];
  readonly options: RunCommandOptions;
  readonly setting: CommandContext;
  readonly inputs: WatchInputs;
  /** Reads the configuration again, and finds the test files. Returns undefined after an error, which has been printed. */
  prepareAgain(): Promise<WatchInputs | undefined>;
}

/** The time for which changes are collected, in milliseconds: an editor writes several files at once. */
const DEBOUNCE_MS = 60;

/** The number of records that a watch session keeps. */
const MAX_WATCH_RECORDS = 3;

/** What to run next, or the end. */
type RunTrigger = { readonly files: readonly string[] | 'all'; readonly ids?: readonly string[] | undefined; readonly isReconfigured?: boolean } | 'end';

const configurationName = /(?:^|[/\\])(?:red-lattice\.config\.m?[jt]s|tsconfig[^/\\]*\.json)$/;
const folderDefaultsName = /(?:^|[/\\])folder\.lattice\.m?[jt]s$/;

/**
 * Runs tests, waits for changes, and runs the affected tests: those that read a changed file through imports, or as data.
 *
 * Keys on a terminal: Enter runs the same again, `a` all, `f` what failed; `q` and Ctrl-C end.
 */
export async function watch({ where, options, setting, inputs: first, prepareAgain }: Watching): Promise<number> {
  const { terminal, folder } = setting;
  const { root } = first.prepared;
  let inputs = first;
  const interruption: Interruption = { by: undefined };
  const reads = new Map<string, ReadonlySet<string>>();
  const wishes = new LatestRequestQueue();
  setting.onInterrupt((signal) => {
    interrupt(interruption, signal);
    wishes.put('end');
  });
  const all = async (): Promise<readonly string[]> => (await findFiles(where, folder, inputs.prepared.config.files)).files;
  const { watch: startWatching } = await import('chokidar');
  const watcher = startWatching(root, {
    ignoreInitial: true,
    ignored: (path) => /(?:^|[/\\])(?:node_modules|\.[^/\\]+)(?:[/\\]|$)/.test(relative(root, path)),
  });
  let changed = new Set<string>();
  let timer: NodeJS.Timeout | undefined;
  watcher.on('all', (event, path) => {
    if (event === 'addDir' || event === 'unlinkDir') return;
    changed.add(path);
    clearTimeout(timer);
    timer = setTimeout(async () => {
      const paths = changed;
      changed = new Set();
      if ([...paths].some((path) => configurationName.test(path))) return wishes.put({ files: 'all', isReconfigured: true });
      // A test file that did not load can depend on any file. Folder options affect all files below.
      const folders = [...paths].filter((path) => folderDefaultsName.test(path)).map((path) => join(dirname(path), sep));
      const affected = (await all()).filter((file) => {
        const read = reads.get(relative(root, file).split(sep).join('/'));
        return paths.has(file) || read === undefined || readsAnyOf(read, paths) || folders.some((above) => file.startsWith(above));
      });
      if (affected.length > 0) wishes.put({ files: affected });
    }, DEBOUNCE_MS);
  });
  const keys = listenToKeys(async (key) => {
    if (key === 'q' || key === '\u0003') wishes.put('end');
    else if (key === 'a') wishes.put({ files: 'all' });
    else if (key === 'f') wishes.put({ files: 'all', ids: failedIds(root) });
    else if (key === '\r' || key === '\n') wishes.put(last);
  });
  let last: RunTrigger = { files: first.prepared.files };
  const records: string[] = [];
  let status = 0;
  for (let wish: RunTrigger = last; wish !== 'end'; wish = await wishes.next()) {
    last = { ...wish, isReconfigured: false };
    if (wish.isReconfigured) {
      const next = await prepareAgain();
      if (!next) {
        terminal.out(terminal.style.dim('\nwaiting for a change of the configuration'));
        continue;
      }
      inputs = next;
    }
    const { prepared, selection } = inputs;
    const { ids } = wish;
    const files = wish.files === 'all' ? await all() : wish.files;
    prepared.compiler.compileAhead(files);
    const run = await runOnce({ where, files, selection: ids ? { ...selection, ids } : selection, options, prepared, interruption }, setting);
    ({ status } = run);
    records.push(run.record);
    // Otherwise, a watch session would displace all other records.
    if (!options.record && records.length > MAX_WATCH_RECORDS) rmSync(records.shift() as string, { recursive: true, force: true });
    for (const [file, read] of run.state.reads) reads.set(file, read);
    if (interruption.by) break;
    const hint = keys.listening ? '  Enter: run again · a: run all · f: run failed · q: quit' : '';
    terminal.out(terminal.style.dim(`\nwatching ${formatCount(new Set([...reads.values()].flatMap((urls) => [...urls])).size, 'file')}${hint}`));
  }
  keys.end();
  clearTimeout(timer);
  await watcher.close();
  return interruption.by ? getInterruptStatus(interruption.by) : status;
}

const readsAnyOf = (urls: ReadonlySet<string> | undefined, paths: ReadonlySet<string>): boolean =>
  [...(urls ?? [])].some((url) => url.startsWith('file:') && paths.has(join(fileURLToPath(url))));

/** Keeps the latest request until it is taken. */
class LatestRequestQueue {
  #waiting: RunTrigger | undefined;
  #resolveNext: ((wish: RunTrigger) => void) | undefined;

  put(wish: RunTrigger): void {
    if (this.#waiting === 'end') return;
    if (this.#resolveNext) this.#resolveNext(wish);
    else this.#waiting = wish;
    this.#resolveNext = undefined;
  }

  next(): Promise<RunTrigger> {
    const waiting = this.#waiting;
    this.#waiting = undefined;
    if (waiting) return Promise.resolve(waiting);
    return new Promise((resolve) => {
      this.#resolveNext = resolve;
    });
  }
}

function listenToKeys(press: (key: string) => void): { readonly listening: boolean; end(): void } {
  const { stdin } = process;
  if (!stdin.isTTY) return { listening: false, end: () => undefined };
  stdin.setRawMode(true);
  stdin.setEncoding('utf8').resume();
  stdin.on('data', press);
  return {
    listening: true,
    end() {
      stdin.off('data', press);
      stdin.setRawMode(false);
      stdin.pause();
    },
  };
}
