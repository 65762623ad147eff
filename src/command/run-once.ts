import type { ChildProcess } from 'node:child_process';
import { appendFileSync, existsSync, mkdirSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join, relative, resolve } from 'node:path';
import { formatAnnotations } from '../formats/annotations.ts';
import type { Formatting } from '../formats/human/failure.ts';
import { renderLeaks } from '../formats/human/leaks.ts';
import { explainNothingSelected } from '../formats/human/nothing-selected.ts';
import { renderFailures, renderOutsideCases, renderPlanProblems, renderSummary, type SummaryInput } from '../formats/human/run.ts';
import { renderTimeline } from '../formats/human/timeline.ts';
import type { ReportFormat } from '../formats/report-formats.ts';
import { escapeToOneLine } from '../formats/style.ts';
import { formatSummaryLine } from '../formats/summary-line.ts';
import type { CompileService } from '../node/compile-service.ts';
import { coordinate } from '../node/coordinator.ts';
import { type RecordReference, rememberFailed } from '../node/earlier-runs.ts';
import { listJournals } from '../node/journals.ts';
import type { LanePool } from '../node/pool/seats.ts';
import { hashFile, hashFiles, ReadFiles } from '../node/read-files.ts';
import { createRecord, readTimingHistory, removeOldRecords, writeInfo } from '../node/record.ts';
import { lockRecord, unlockRecord } from '../node/record-lock.ts';
import { openRecord, readRecorded } from '../node/recorded.ts';
import type { RunRequest } from '../node/run-request.ts';
import { formatProblem } from '../problems/format-problem.ts';
import { encodeEntry, JOURNAL_VERSION, type JournalEntry } from '../results/journal/entries.ts';
import type { Leak } from '../results/leaks.ts';
import { findRerunSelections } from '../results/rerun-selection.ts';
import type { RunInfo } from '../results/run-info.ts';
import { applyEntry, buildRunState, exitStatus, failingTests, listLeaks, type RunState, warningsIn } from '../results/run-state.ts';
import type { WhereItFails } from '../results/where/causes.ts';
import { whereTestsFail } from '../results/where/tests.ts';
import { type Selection, selectsAll } from '../suites/selection.ts';
import type { CommandContext } from './command-context.ts';
import type { DisplayOptions } from './display-options.ts';
import { getInterruptStatus, type Interruption } from './interruption.ts';
import type { SelectionOptions } from './options.ts';
import { buildDefaultRequest, type CommandInputs } from './prepare.ts';
import { printCases, printRecord, printTests } from './print-record.ts';
import { Progress } from './progress.ts';
import { renderGrids } from './render-grids.ts';
import { writeAs } from './report.ts';
import { createFormatting, failWith, type Terminal } from './terminal.ts';
import { version } from './version.ts';

export interface RunCommandOptions extends SelectionOptions, DisplayOptions {
  readonly concurrency?: number;
  readonly lanes?: number;
  readonly shuffle?: boolean;
  readonly strict?: boolean;
  readonly stopAfter?: number;
  readonly retries?: number;
  readonly resume?: boolean;
  readonly watch?: boolean;
  readonly show: 'failures' | 'cases' | 'summary';
  readonly format?: ReportFormat;
  readonly record?: string;
  readonly timeline?: boolean;
  readonly leaks?: boolean;
  readonly pool?: string;
}

export interface RunOnceInput {
  readonly where: readonly string[];
  /** The test files to run. */
  readonly files: readonly string[];
  readonly selection: Selection;
  /** The run to resume. */
  readonly earlier?: RecordReference | undefined;
  readonly options: RunCommandOptions;
  readonly prepared: CommandInputs;
  readonly interruption: Interruption;
  readonly pool?: LanePool | undefined;
}

/** Runs cases once, from creating the record to printing the summary. */
export async function runOnce(
  { where, files, selection, earlier, options, prepared, interruption, pool }: RunOnceInput,
  setting: CommandContext,
): Promise<{ status: number; state: RunState; record: string }> {
  const { folder, acquireLane } = setting;
  // Standard output contains the report only.
  const terminal: Terminal = options.format ? { ...setting.terminal, out: () => undefined, live: undefined } : setting.terminal;
  const { root, compiler, config } = prepared;
  const started = new Date();
  const lanes = Math.max(pool ? 0 : 1, options.lanes ?? config.lanes ?? availableParallelism());
  const seed = earlier?.info.seed ?? options.seed ?? started.getTime() % 1_000_000;
  const record = earlier?.folder ?? createRecord(root, started, seed, options.record && resolve(folder, options.record));
  const info: RunInfo = {
    kind: 'red-lattice run record',
    version: JOURNAL_VERSION,
    tool: version,
    node: process.version,
    platform: `${process.platform} ${process.arch}`,
    command: ['run', ...where],
    seed,
    started: started.toISOString(),
    lanes,
    root,
    process: process.pid,
    selection,
    files: hashFiles(files, root),
    ...(selection.shard && { shard: selection.shard }),
    ...(selection.shard?.times !== undefined && { balancedBy: hashFile(join(selection.shard.times, 'run.json')) ?? '' }),
    ...(earlier && { ...clearRunEnd(earlier.info), process: process.pid }),
  };
  const after = earlier ? listJournals(record) : [];
  // The record of a resumed run is locked already.
  if (!earlier) lockRecord(record);
  writeInfo(record, info);
  let plan = info.plan;
  const reads = new ReadFiles(root, info.files ?? {}, info.reads, (hashes) => writeInfo(record, { ...info, ...(plan && { plan }), reads: hashes }));

  const progress = new Progress(terminal, options);
  const request: RunRequest = {
    ...buildDefaultRequest(prepared, { mode: 'run', selection, loadTimeout: options.loadTimeout, record }),
    files,
    seed,
    everySpan: options.timeline === true,
    lanes,
    pool,
    shuffle: options.shuffle === true,
    stopAfter: options.stopAfter,
    after,
    plan: earlier?.info.plan,
    before: readTimingHistory(root, info),
  };
  const running = coordinate(request, acquireLane, compiler, (entry, state) => {
    // A resumed run must have the same tests.
    if (entry.type === 'planned' && plan === undefined) {
      plan = entry.hash;
      writeInfo(record, { ...info, plan });
    }
    reads.take(entry);
    // Without lanes here, the run waits for machines: report a refusal at once. A terminal shows it in the progress.
    if (lanes === 0 && !terminal.live && entry.type === 'warning' && entry.problem.code === 'pool-machine-refused')
      terminal.error(escapeToOneLine(`red-lattice: ${formatProblem(entry.problem)}`));
    progress.take(entry, state);
  });
  if (pool?.lanes === 0 && lanes === 0 && !terminal.live) terminal.error('red-lattice: no machine has joined the pool yet; waiting for red-lattice join');
  progress.startTicker(() => running.progress());
  interruption.onInterrupt = () => running.interrupt();
  // The lanes are busy: this takes no extra time.
  if (!options.record) removeOldRecords(root);
  const disarm = setting.onEarlyExit(() => {
    progress.print([]);
    return interruption.by ? getInterruptStatus(interruption.by) : printEarlyExit(record, root, setting, options, terminal);
  });
  const state = await running.done;
  disarm();
  if (!existsSync(join(record, 'run.json'))) state.unwritable ??= 'it was removed during the run';
  progress.finish(state);
  if (options.leaks) {
    const located: JournalEntry = { type: 'located-leaks', leaks: await locateLeaks(state, request, acquireLane, compiler) };
    applyEntry(state, located);
    if (located.leaks.length > 0 && state.unwritable === undefined) appendFileSync(join(record, 'coordinator.journal'), encodeEntry(located, JSON.stringify));
  }

  const milliseconds = Date.now() - started.getTime();
  const strict = (options.strict ?? config.strict) ? warningsIn(state) : 0;
  const earned = exitStatus(state);
  // With few cases, some shards are empty.
  const isEmptyShard = earned === 3 && state.inOtherShards > 0;
  const status = interruption.by ? getInterruptStatus(interruption.by) : isEmptyShard ? 0 : earned || (strict > 0 ? 1 : 0);
  const ended: RunInfo = {
    ...info,
    reads: await reads.end(),
    lanes: lanes + state.machines.size,
    ...(state.machines.size > 0 && { machines: Object.fromEntries(state.machines) }),
    milliseconds,
    exitStatus: status,
    counts: state.counts,
    ...(strict > 0 && { strictWarnings: strict }),
    times: readTimes(state),
    ...(state.notRun && { notRun: state.notRun }),
    ...(state.planned && { plan: state.planned.hash }),
  };
  const opened = readRecorded({ folder: record, info: ended });
  const found = whereTestsFail(opened.entries, failingTests(state));
  if (options.sort && options.show === 'failures') printTests(state, options.sort, terminal);
  if (options.show === 'cases') printCases(opened.entries, terminal);
  if (options.timeline) for (const line of ['', ...renderTimeline(opened.entries, terminal.width, terminal.style, ended.machines)]) terminal.out(line);
  const closing = {
    milliseconds,
    lanes: ended.lanes,
    seed,
    record: relative(folder, record) || '.',
    interrupted: interruption.by !== undefined,
    resumes: true,
    strict,
  };
  const grids = renderGrids(opened.entries, found, options, terminal);
  printAnnotations(state, terminal, root, options.format !== undefined);
  const formatting = { ...createFormatting(root, terminal), reruns: findRerunSelections(opened.entries, state, ended) };
  printEnd(state, found, [...grids, ...renderLeaks(listLeaks(state), createFormatting(root, terminal))], closing, options, terminal, formatting);
  if (state.unwritable !== undefined)
    terminal.error(`red-lattice: the record in ${record} cannot be written: ${escapeToOneLine(state.unwritable)}. Results are lost.`);
  if (isEmptyShard) terminal.out(terminal.style.dim(`shard ${selection.shard?.index}/${selection.shard?.of} has no cases`));
  // No other shard has cases either.
  if (status === 3) terminal.out(terminal.style.yellow(explainNothingSelected({ ...selection, shard: undefined }, where, state.planned?.suggestions)));
  // A record that could not be resumed stays unchanged.
  const isRefused = earlier !== undefined && state.planProblems.some(({ code }) => code === 'plan-mismatch');
  if (state.unwritable === undefined && !isRefused) {
    writeInfo(record, ended);
    // A run in a subfolder, and one of a watch, can leave files out.
    const hasAllFiles = where.length === 0 && folder === root && files.length === prepared.files.length;
    const isWhole = hasAllFiles && selectsAll(selection) && status < 2 && state.notRun === undefined;
    rememberFailed(root, { folder: record, info: ended }, isWhole);
  }
  compiler.prune();
  if (options.format) {
    const problems = renderPlanProblems(state, createFormatting(root, terminal));
    for (const line of problems) terminal.error(line);
    await writeAs(options.format, opened, root, terminal.style, (text) => terminal.writeRaw(text));
    for (const line of renderOutsideCases(state, strict, terminal.style)) terminal.error(line);
    terminal.error(formatSummaryLine(state));
  } else terminal.out(formatSummaryLine(state));
  unlockRecord(record);
  return { status, state, record };
}

/** Prints the results of a run that a case has ended together with the process. Returns the exit status. */
function printEarlyExit(record: string, root: string, { folder }: CommandContext, { format, ...display }: RunCommandOptions, terminal: Terminal): number {
  const opened = openRecord(relative(folder, record), root, folder);
  if (typeof opened === 'string') return failWith(terminal, opened);
  const shown = format === undefined ? terminal : { ...terminal, out: terminal.error };
  shown.out('');
  shown.out(terminal.style.yellow('a case has ended the only process; with --lanes 1 or more, the other cases run in a new one'));
  printRecord(opened, root, display, shown);
  return exitStatus(buildRunState(opened)) || 1;
}

/** Prints failures for a CI service that shows them in the source. They go to stderr if the output is for other programs. */
function printAnnotations(state: RunState, terminal: Terminal, root: string, isForPrograms: boolean): void {
  if (!terminal.annotations) return;
  const { syntax, workspace } = terminal.annotations;
  const { nameFile } = createFormatting(root, terminal);
  const nameInWorkspace = (file: string): string => relative(workspace, resolve(root, nameFile(file))).replaceAll('\\', '/');
  for (const line of formatAnnotations(state, syntax, nameInWorkspace)) (isForPrograms ? terminal.error : terminal.out)(line);
}

/** Prints problems, failures and the summary. */
function printEnd(
  state: RunState,
  where: ReadonlyMap<number, WhereItFails>,
  more: readonly string[],
  closing: SummaryInput,
  { show }: RunCommandOptions,
  terminal: Terminal,
  formatting: Formatting,
): void {
  const blocks = [renderPlanProblems(state, formatting), renderFailures(state, where, formatting), more];
  for (const line of blocks.flat()) terminal.out(line);
  if (show !== 'summary' || state.counts.failed + state.counts.errored > 0) terminal.out('');
  for (const line of renderSummary(state, closing, formatting)) terminal.out(line);
}

/** The information of a resumed run, without that of its end. */
const clearRunEnd = ({ milliseconds: _milliseconds, exitStatus: _status, counts: _counts, notRun: _notRun, ...info }: RunInfo): RunInfo => info;

/** Runs the cases with leaks again, alone. Returns the leaks with the places where they were opened; none if they leak nothing this time. */
async function locateLeaks(state: RunState, request: RunRequest, lane: () => ChildProcess, compiler: CompileService): Promise<readonly Leak[]> {
  const ids = [...new Set(state.leaks.flatMap(({ after }) => after?.id ?? []))];
  if (ids.length === 0) return [];
  const record = join(request.record, 'leaks');
  mkdirSync(record);
  const checked = await coordinate(
    { ...request, lanes: Math.max(1, request.lanes), pool: undefined, selection: { ids }, findLeaks: true, record },
    lane,
    compiler,
    () => undefined,
  ).done;
  return checked.leaks;
}

/** The duration of each test, for the order of the next run. The tests of a parameterized suite share an id. */
function readTimes({ tests }: RunState): Record<string, number> {
  const times: Record<string, number> = {};
  for (const { header, milliseconds } of tests.values()) times[header.id] = Math.round((times[header.id] ?? 0) + milliseconds);
  return times;
}
