import { renderLeaks } from '../formats/human/leaks.ts';
import { explainEmptyRecord } from '../formats/human/nothing-selected.ts';
import {
  Headings,
  MAX_LISTED_TESTS,
  renderCase,
  renderFailures,
  renderMoreTests,
  renderOutput,
  renderPlanProblems,
  renderSummary,
  renderTest,
} from '../formats/human/run.ts';
import { formatSummaryLine } from '../formats/summary-line.ts';
import type { OpenedRecord } from '../node/recorded.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import { testsInOrder } from '../results/plan-order.ts';
import { findRerunSelections } from '../results/rerun-selection.ts';
import { buildRunState, failingTests, listLeaks, type RunState, type TestState } from '../results/run-state.ts';
import { whereTestsFail } from '../results/where/tests.ts';
import type { DisplayOptions, Sorting } from './display-options.ts';
import { renderGrids } from './render-grids.ts';
import { createFormatting, type Terminal } from './terminal.ts';

/** Prints a record like the run did: tests, failures, where tests fail, and the summary. */
export function printRecord(record: OpenedRecord, root: string, display: DisplayOptions, terminal: Terminal): void {
  const { info } = record;
  const state = buildRunState(record);
  const where = whereTestsFail(record.entries, failingTests(state));
  printTests(state, display.sort ?? 'plan', terminal);
  const formatting = { ...createFormatting(info.root ?? root, terminal, root), reruns: findRerunSelections(record.entries, state, info) };
  const blocks = [
    renderPlanProblems(state, formatting),
    renderFailures(state, where, formatting),
    renderGrids(record.entries, where, display, terminal),
    renderLeaks(listLeaks(state), formatting),
  ];
  for (const line of blocks.flat()) terminal.out(line);
  terminal.out('');
  if (info.milliseconds === undefined) terminal.out(terminal.style.yellow('the run is incomplete'));
  const closing = {
    milliseconds: info.milliseconds,
    lanes: info.lanes,
    seed: info.seed,
    record: record.name,
    interrupted: (info.exitStatus ?? 0) >= 128,
    resumes: false,
    strict: info.strictWarnings ?? 0,
  };
  for (const line of renderSummary(state, closing, formatting)) terminal.out(line);
  if (info.exitStatus === 3) terminal.out(terminal.style.yellow(explainEmptyRecord(info.selection, formatting.nameFile)));
  terminal.out(formatSummaryLine(state));
}

/** Prints one line per case and its output, in plan order. */
export function printCases(entries: () => Iterable<JournalEntry>, { out, style }: Terminal): void {
  for (const { results } of testsInOrder(entries))
    for (const { result } of results()) for (const line of [renderCase(result, style), ...renderOutput(result, style)]) out(line);
}

/** Prints one line per test: grouped by file and suite, or sorted by time with full titles. */
export function printTests(state: RunState, sorting: Sorting, { out, style, width }: Terminal): void {
  const name = ({ header }: TestState): string => [header.file, ...header.path].join(' › ');
  const tests = [...state.tests.values()];
  if (sorting === 'time') {
    for (const test of tests.sort((a, b) => b.milliseconds - a.milliseconds)) for (const line of renderTest(test, style, 0, width, name(test))) out(line);
    return;
  }
  tests.sort(sorting === 'name' ? (a, b) => (name(a) < name(b) ? -1 : 1) : (a, b) => a.header.test - b.header.test);
  const headings = new Headings();
  for (const test of tests.slice(0, MAX_LISTED_TESTS)) {
    const { lines, depth } = headings.of(test, style);
    for (const line of [...lines, ...renderTest(test, style, depth, width)]) out(line);
  }
  for (const line of renderMoreTests(tests.length, style)) out(line);
}
