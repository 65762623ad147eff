import { mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { explainNothingSelected } from '../formats/human/nothing-selected.ts';
import { renderPlanProblems, renderProblem } from '../formats/human/run.ts';
import { planAsCsv, planAsJson } from '../formats/plan.ts';
import { escapeToOneLine, formatCount } from '../formats/style.ts';
import { coordinate } from '../node/coordinator.ts';
import { readJournals } from '../node/journals.ts';
import { findStateFolder } from '../node/record.ts';
import { formatThousands } from '../problems/format-thousands.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { TestHeader } from '../results/recorded-result.ts';
import type { CommandContext } from './command-context.ts';
import { buildSelection, type SelectionOptions } from './options.ts';
import { buildDefaultRequest, prepare } from './prepare.ts';
import { createFormatting, type Terminal } from './terminal.ts';

export interface PlanCommandOptions extends SelectionOptions {
  readonly all?: boolean;
  readonly format?: 'json' | 'csv';
}

/** The maximum number of cases that are listed for a test. */
const MAX_LISTED_CASES = 5;
/** If the first cases of all tests take more lines, only tests are listed; if these do, only files. */
const MAX_LINES = 60;

/** The listed parts of a test. */
interface ListedTest {
  readonly header: TestHeader;
  readonly ids: string[];
  cases: number;
}

/** Lists the cases that `run` would run, under their tests, and counts them. */
export async function planCommand(where: readonly string[], options: PlanCommandOptions, setting: CommandContext): Promise<number> {
  const { terminal, acquireLane } = setting;
  const prepared = await prepare(where, options, setting);
  if (!prepared) return 2;
  const { root, targets, compiler } = prepared;
  const formatting = createFormatting(root, terminal);
  const record = mkdtempSync(join(findStateFolder(root), 'plan-'));
  const tests = new Map<number, ListedTest>();
  const limit = options.all ? Number.POSITIVE_INFINITY : MAX_LISTED_CASES + 1;
  const take = (entry: JournalEntry): void => {
    if (entry.type === 'test') tests.set(entry.header.test, { header: entry.header, ids: [], cases: 0 });
    const test = entry.type === 'listed' ? tests.get(entry.name.test) : undefined;
    if (!test || entry.type !== 'listed') return;
    test.cases++;
    if (test.cases <= limit) test.ids.push(entry.name.id);
  };
  try {
    const selection = buildSelection(options, targets, prepared);
    const request = buildDefaultRequest(prepared, {
      mode: 'plan',
      selection,
      loadTimeout: options.loadTimeout,
      record,
    });
    const state = await coordinate(request, acquireLane, compiler, take).done;
    const cases = [...tests.values()].reduce((sum, test) => sum + test.cases, 0);
    const isBroken = state.planProblems.length + state.loadFailures.length + state.runProblems.length > 0;
    const print = options.format ? terminal.error : terminal.out;
    if (!options.format) for (const line of renderTests([...tests.values()], options.all === true, terminal)) print(line);
    else if (!isBroken)
      for await (const chunk of (options.format === 'json' ? planAsJson : planAsCsv)(() => readJournals(record), formatting.nameFile)) terminal.writeRaw(chunk);
    for (const line of renderPlanProblems(state, formatting)) print(line);
    if (state.warnings.length + state.runProblems.length > 0) print('');
    for (const problem of [...state.warnings, ...state.runProblems]) for (const line of renderProblem(problem, formatting, terminal.style.yellow)) print(line);
    if (isBroken) return 2;
    const fileCount = new Set([...tests.values()].map(({ header }) => header.file)).size;
    print(
      cases === 0
        ? terminal.style.yellow(explainNothingSelected(selection, where, state.planned?.suggestions))
        : `\n${formatCount(cases, 'case')} in ${formatCount(tests.size, 'test')}, ${formatCount(fileCount, 'file')}`,
    );
    return cases === 0 ? 3 : 0;
  } finally {
    rmSync(record, { recursive: true, force: true });
  }
}

/** Renders tests under their files, each with the source of its cases. In a large project, the list is shorter: without cases, or by file. */
function renderTests(tests: readonly ListedTest[], listsAll: boolean, terminal: Terminal): string[] {
  const whole = renderList(tests, true, terminal);
  if (listsAll || whole.length <= MAX_LINES) return whole;
  const short = renderList(tests, false, terminal);
  const lines = short.length <= MAX_LINES ? short : renderFiles(tests, terminal);
  return [...lines, '', terminal.style.dim('plan <file> lists its tests and their first cases; --all lists every case')];
}

function renderFiles(tests: readonly ListedTest[], { style }: Terminal): string[] {
  const byFile = new Map<string, { tests: number; cases: number }>();
  for (const { header, cases } of tests) {
    const { tests = 0, cases: before = 0 } = byFile.get(header.file) ?? {};
    byFile.set(header.file, { tests: tests + 1, cases: before + cases });
  }
  const width = Math.max(...[...byFile.keys()].map((file) => escapeToOneLine(file).length));
  return [...byFile].map(
    ([file, { tests, cases }]) =>
      `${style.bold(escapeToOneLine(file).padEnd(width))}  ${style.dim(`${formatCount(cases, 'case')} in ${formatCount(tests, 'test')}`)}`,
  );
}

function renderList(tests: readonly ListedTest[], withCases: boolean, { style }: Terminal): string[] {
  const lines: string[] = [];
  let file: string | undefined;
  for (const { header, ids, cases } of tests) {
    if (header.file !== file) lines.push(...(file === undefined || !withCases ? [] : ['']), style.bold(escapeToOneLine(header.file)));
    file = header.file;
    const from = [cases > 1 && formatCount(cases, 'case'), header.source && `from ${escapeToOneLine(header.source)}`].filter(Boolean).join(' ');
    const place = header.location ? `:${header.location.line}` : '';
    lines.push(`  ${escapeToOneLine(header.path.join(' › '))}${style.dim(`  ${place}${from ? `  ${from}` : ''}`)}`);
    if (!withCases) continue;
    for (const fact of header.facts ?? []) lines.push(style.dim(`    ${escapeToOneLine(fact)}`));
    const shown = ids.length === cases ? ids : ids.slice(0, MAX_LISTED_CASES);
    // The test's line represents its only case.
    for (const id of shown) if (id !== header.id) lines.push(style.dim(`    ${escapeToOneLine(id.slice(header.id.length + 1))}`));
    if (shown.length < cases) lines.push(style.dim(`    … and ${formatThousands(cases - shown.length)} more (--all)`));
  }
  return lines;
}
