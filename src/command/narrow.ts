import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import { renderNarrowed, renderNarrowSummary } from '../formats/human/narrow.ts';
import { explainNothingSelected } from '../formats/human/nothing-selected.ts';
import { renderPlanProblems } from '../formats/human/run.ts';
import { narrowedAsJson } from '../formats/narrow.ts';
import { formatTriedRows, triedRowFormats } from '../formats/tried-rows.ts';
import { coordinate } from '../node/coordinator.ts';
import { findStateFolder } from '../node/record.ts';
import { type NarrowedResult, NarrowSession } from '../results/narrowing/session.ts';
import { exitStatus, type RunState } from '../results/run-state.ts';
import type { CommandContext } from './command-context.ts';
import { getInterruptStatus, type Interruption, interrupt } from './interruption.ts';
import { buildSelection, type SelectionOptions } from './options.ts';
import { buildDefaultRequest, prepare } from './prepare.ts';
import { Progress } from './progress.ts';
import { createFormatting, failWith } from './terminal.ts';

export interface NarrowCommandOptions extends SelectionOptions {
  readonly budget: number;
  readonly vary?: readonly string[];
  readonly lanes?: number;
  readonly format?: 'json';
  readonly export?: string;
}

/** Runs tests, and then further rows of the failing ones, until the values that make them fail are known. */
export async function narrowCommand(where: readonly string[], options: NarrowCommandOptions, setting: CommandContext): Promise<number> {
  const { folder, terminal, acquireLane } = setting;
  if (options.export !== undefined && !triedRowFormats.some((extension) => options.export?.endsWith(extension)))
    return failWith(terminal, `--export ${options.export}: the file must end in ${triedRowFormats.join(', ')}`);
  const prepared = await prepare(where, options, setting);
  if (!prepared) return 2;
  const { root, targets, compiler, config } = prepared;
  const interruption: Interruption = { by: undefined };
  setting.onInterrupt((signal) => interrupt(interruption, signal));
  const print = options.format ? terminal.error : terminal.out;
  const formatting = createFormatting(root, terminal);
  const seed = options.seed ?? 1;
  const selection = buildSelection(options, targets, prepared);
  const session = new NarrowSession({ budget: options.budget, seed, columns: options.vary });
  const record = mkdtempSync(join(findStateFolder(root), 'narrow-'));
  const progress = new Progress(options.format ? { ...terminal, out: () => undefined, live: undefined } : terminal, { show: 'summary' });
  const began = Date.now();
  let shown = 0;
  const showNew = (): void => {
    for (; shown < session.results.length; shown++)
      if (!options.format) progress.print(renderNarrowed(session.results[shown] as (typeof session.results)[number], selection, formatting));
  };
  try {
    const request = {
      ...buildDefaultRequest(prepared, { mode: 'run', selection, loadTimeout: options.loadTimeout, record }),
      lanes: Math.max(1, options.lanes ?? config.lanes ?? availableParallelism()),
      seed,
      nextRows: () => {
        const next = session.next(Date.now());
        showNew();
        return next;
      },
    };
    const running = coordinate(request, acquireLane, compiler, (entry) => session.take(entry));
    progress.startTicker(() => ({ ...running.progress(), narrowing: session.progress }));
    interruption.onInterrupt = () => running.interrupt();
    const state = await running.done;
    progress.finish(state);
    showNew();
    for (const line of renderPlanProblems(state, formatting)) print(line);
    if (interruption.by) return getInterruptStatus(interruption.by);
    const unknown = options.vary && findUnknownColumn(options.vary, session.results);
    if (unknown !== undefined) return failWith(terminal, unknown);
    const earned = exitStatus(state);
    const isExplained = session.results.every(({ causes, unexplained }) => unexplained.length === 0 && causes.every((cause) => cause.isProven));
    if (options.format) terminal.writeRaw(narrowedAsJson(session.results));
    else if (earned !== 3) for (const line of renderNarrowSummary(session.results, state.counts, Date.now() - began, terminal.style)) terminal.out(line);
    if (options.export !== undefined) {
      const path = resolve(folder, options.export);
      mkdirSync(dirname(path), { recursive: true });
      const probes = session.results.flatMap((result) => result.probes);
      writeFileSync(path, await formatTriedRows(probes, options.export));
    }
    if (earned === 3) print(terminal.style.yellow(explainNothingSelected(selection, where, state.planned?.suggestions)));
    return earned >= 2 ? earned : isExplained && failsOnlyIn(session, state) ? 0 : 1;
  } finally {
    rmSync(record, { recursive: true, force: true });
  }
}

/** Why the columns of --vary cannot be varied: no failing test has one of them. Undefined if all exist. */
function findUnknownColumn(vary: readonly string[], results: readonly NarrowedResult[]): string | undefined {
  // A test may list only the columns of its first row.
  const known = new Set(results.flatMap(({ header, failing }) => [...header.columns, ...failing.flatMap(({ row }) => Object.keys(row))]));
  const unknown = known.size > 0 ? vary.find((name) => !known.has(name) && !known.has(name.split('.')[0] as string)) : undefined;
  return unknown === undefined ? undefined : `--vary ${unknown}: no failing test has this column; the columns are ${[...known].join(', ')}`;
}

/** Whether every failing test was narrowed. Those that fail for reasons outside of the tested code are not. */
const failsOnlyIn = ({ results }: NarrowSession, state: RunState): boolean =>
  [...state.tests.values()].every(({ header, counts }) => counts.failed + counts.errored === 0 || results.some((one) => one.header.test === header.test));
