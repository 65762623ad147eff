import type { ChildProcess } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, relative, resolve } from 'node:path';
import type { Span } from '../fixtures/instance.ts';
import { tellLeaks } from '../formats/human/leaks.ts';
import { Headings, lastLine, tellCase, tellFailures, tellPlanProblems, tellSummary, tellTest } from '../formats/human/run.ts';
import { tellTimeline } from '../formats/human/timeline.ts';
import { oneLine } from '../formats/style.ts';
import type { CompileService } from '../node/compile-service.ts';
import { coordinate, type Request } from '../node/coordinator.ts';
import { changedSince, type Earlier, earlierRuns, failedIds, findRecord, hashesOf } from '../node/earlier.ts';
import { journalsIn } from '../node/journals.ts';
import { lastTimes, newRecord, type RunInfo, removeOldRecords, writeInfo } from '../node/record.ts';
import type { JournalEntry, RecordedResult } from '../results/journal.ts';
import type { Leak } from '../results/leaks.ts';
import { exitStatus, type RunState } from '../results/run-state.ts';
import { type SelectionOptions, selectionOf } from './options.ts';
import { prepare } from './prepare.ts';
import type { Setting } from './setting.ts';
import { type Terminal, tellingFor } from './terminal.ts';
import { version } from './version.ts';

export interface RunCommandOptions extends SelectionOptions {
  readonly concurrency?: number;
  readonly lanes?: number;
  readonly shuffle?: boolean;
  readonly stopAfter?: number;
  readonly retries?: number;
  readonly failed?: boolean;
  readonly resume?: boolean;
  readonly show: 'failures' | 'cases' | 'summary';
  readonly record?: string;
  readonly timeline?: boolean;
  readonly leaks?: boolean;
}

/** Plans, runs, shows; gives the exit status. `onInterrupt` is told what to do at Ctrl-C. */
export async function runCommand(where: readonly string[], options: RunCommandOptions, setting: Setting): Promise<number> {
  const { folder, terminal, lane, onInterrupt } = setting;
  const started = new Date();
  const prepared = await prepare(where, options, setting);
  if (!prepared) return 2;
  const { root, files, targets, cache, compiler, defaults, tags, config } = prepared;
  const { style } = terminal;
  const telling = tellingFor(root, style);
  const lanes = Math.max(1, options.lanes ?? config.lanes ?? availableParallelism());
  const earlier = options.resume ? interruptedRun(root, options.record && resolve(folder, options.record)) : undefined;
  if (typeof earlier === 'string') {
    terminal.error(`red-lattice: ${oneLine(earlier)}`);
    return 2;
  }
  const seed = earlier?.info.seed ?? options.seed ?? started.getTime() % 1_000_000;
  const record = earlier?.folder ?? newRecord(root, started, seed, options.record && resolve(folder, options.record));
  const asked = selectionOf(options, targets);
  const selection = earlier?.info.selection ?? (options.failed ? { ...asked, ids: [...(asked.ids ?? []), ...failedIds(earlierRuns(root))] } : asked);
  const info: RunInfo = {
    kind: 'red-lattice run record',
    version: 1,
    tool: version,
    node: process.version,
    platform: `${process.platform} ${process.arch}`,
    command: ['run', ...where],
    seed,
    started: started.toISOString(),
    lanes,
    selection,
    files: hashesOf(files, root),
    ...(selection.shard && { shard: selection.shard }),
    ...earlier?.info,
  };
  const after = earlier ? journalsIn(record) : [];
  writeInfo(record, info);

  const progress = new Progress(terminal, options);
  const request = {
    mode: 'run',
    root,
    files,
    selection,
    seed,
    everySpan: options.timeline === true,
    findLeaks: false,
    lanes,
    shuffle: options.shuffle === true,
    stopAfter: options.stopAfter,
    after,
    times: lastTimes(root),
    defaults,
    tags,
    loadTimeout: options.loadTimeout,
    record,
    cache,
  } as const;
  const running = coordinate(request, lane, compiler, (entry, state) => progress.take(entry, state));
  let interruptedBy: 'SIGINT' | 'SIGTERM' | undefined;
  onInterrupt((signal) => {
    interruptedBy = signal;
    running.interrupt();
  });
  const state = await running.done;
  progress.finish(state);
  const leaks = options.leaks ? await findLeaks(state, request, lane, compiler) : state.leaks;

  const wall = Date.now() - started.getTime();
  if (options.timeline) for (const line of ['', ...tellTimeline(progress.spans, progress.results, terminal.width, style)]) terminal.out(line);
  for (const line of tellPlanProblems(state, telling)) terminal.out(line);
  for (const line of tellFailures(state, telling)) terminal.out(line);
  for (const line of tellLeaks(leaks, telling)) terminal.out(line);
  if (options.show !== 'summary' || state.counts.failed + state.counts.errored > 0) terminal.out('');
  for (const line of tellSummary(state, { wall, seed, record: relative(folder, record) || '.', interrupted: interruptedBy !== undefined }, telling))
    terminal.out(line);
  const status = interruptedBy ? (interruptedBy === 'SIGINT' ? 130 : 143) : exitStatus(state);
  if (status === 3) terminal.out(style.yellow('no case was selected'));
  writeInfo(record, { ...info, wall, exitStatus: status, counts: state.counts, times: timesOf(state), ...(state.planned && { plan: state.planned.hash }) });
  if (!options.record) removeOldRecords(root);
  terminal.out(lastLine(state));
  return status;
}

/** The newest run that did not come to its end, or why it cannot be gone on with. */
function interruptedRun(root: string, path: string | undefined): Earlier | string {
  const runs = path === undefined ? earlierRuns(root) : [findRecord(path, root, root)].filter((found) => found !== undefined);
  const run = runs[0];
  if (!run || (run.info.wall !== undefined && run.info.exitStatus !== 130 && run.info.exitStatus !== 143))
    return 'there is nothing to resume: the last run came to its end';
  const changed = changedSince(run, root);
  return changed.length > 0 ? `the run of ${run.info.started} cannot be resumed: ${changed.join(', ')} changed since` : run;
}

/** Runs the cases that left something behind again, alone, and sees where they opened it. */
async function findLeaks(state: RunState, request: Request, lane: () => ChildProcess, compiler: CompileService): Promise<readonly Leak[]> {
  const ids = [...new Set(state.leaks.flatMap(({ after }) => after?.id ?? []))];
  if (ids.length === 0) return state.leaks;
  const record = join(request.record, 'leaks');
  mkdirSync(record);
  const again = await coordinate({ ...request, selection: { ids }, findLeaks: true, record }, lane, compiler, () => undefined).done;
  return again.leaks.length > 0 ? again.leaks : state.leaks;
}

/** What each test took, for the next run's order. */
const timesOf = (state: RunState): Record<string, number> =>
  Object.fromEntries([...state.tests.values()].map(({ header, milliseconds }) => [header.id, Math.round(milliseconds)]));

/** The lines that appear while results come in. */
class Progress {
  readonly #terminal: Terminal;
  readonly #show: RunCommandOptions['show'];
  readonly #timeline: boolean;
  readonly #headings = new Headings();
  readonly #shown = new Set<number>();
  /** Kept for the axis of time, where it is asked for. */
  readonly spans: Span[] = [];
  readonly results: RecordedResult[] = [];

  constructor(terminal: Terminal, { show, timeline = false }: RunCommandOptions) {
    this.#terminal = terminal;
    this.#show = show;
    this.#timeline = timeline;
  }

  take(entry: JournalEntry, state: RunState): void {
    if (entry.is === 'ended' && this.#show === 'cases') this.#terminal.out(tellCase(entry.result, this.#terminal.style));
    if (entry.is === 'test-ended') this.#test(entry.test, state);
    if (this.#timeline && entry.is === 'span') this.spans.push(entry.span);
    if (this.#timeline && entry.is === 'ended') this.results.push(entry.result);
  }

  /** Tests that a lane died in have had no end of their own. */
  finish(state: RunState): void {
    for (const test of state.tests.keys()) this.#test(test, state);
  }

  #test(number: number, state: RunState): void {
    const test = state.tests.get(number);
    if (!test || this.#show !== 'failures' || this.#shown.has(number)) return;
    this.#shown.add(number);
    const { lines, depth } = this.#headings.of(test, this.#terminal.style);
    for (const line of [...lines, tellTest(test, this.#terminal.style, depth)]) this.#terminal.out(line);
  }
}
