import { mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { tellPlanProblems, tellProblem } from '../formats/human/run.ts';
import { count, oneLine } from '../formats/style.ts';
import { coordinate } from '../node/coordinator.ts';
import { ownFolder } from '../node/record.ts';
import type { CaseName, JournalEntry, TestHeader } from '../results/journal.ts';
import { type SelectionOptions, selectionOf } from './options.ts';
import { prepare } from './prepare.ts';
import type { Setting } from './setting.ts';
import { tellingFor } from './terminal.ts';

/** Lists the cases that `run` would run, under their tests, and counts them. */
export async function planCommand(where: readonly string[], options: SelectionOptions, setting: Setting): Promise<number> {
  const { terminal, lane } = setting;
  const prepared = await prepare(where, setting);
  if (!prepared) return 2;
  const { root, files, targets, cache, compiler } = prepared;
  const { style } = terminal;
  const telling = tellingFor(root, style);
  const record = mkdtempSync(join(ownFolder(root), 'plan-'));
  const listed = new Map<number, { header: TestHeader; cases: CaseName[] }>();
  const take = (entry: JournalEntry): void => {
    if (entry.is === 'test') listed.set(entry.header.test, { header: entry.header, cases: [] });
    else if (entry.is === 'listed') listed.get(entry.name.test)?.cases.push(entry.name);
  };
  try {
    const request = {
      mode: 'plan',
      root,
      files,
      selection: selectionOf(options, targets),
      seed: 0,
      everySpan: false,
      findLeaks: false,
      timeout: options.timeout,
      concurrency: undefined,
      loadTimeout: options.loadTimeout,
      record,
      cache,
    } as const;
    const state = await coordinate(request, lane, compiler, take).done;
    const tests = [...listed.values()].filter(({ cases }) => cases.length > 0);
    let file = '';
    for (const { header, cases } of tests) {
      if (header.file !== file) terminal.out(`${file ? '\n' : ''}${style.bold(oneLine(header.file))}`);
      file = header.file;
      const from = [cases.length > 1 && count(cases.length, 'case'), header.source && `from ${header.source}`].filter(Boolean).join(' ');
      terminal.out(`  ${oneLine(header.path.join(' › '))}${style.dim(`  ${header.place ? `:${header.place.line}` : ''}${from ? `  ${from}` : ''}`)}`);
      for (const { id } of cases) terminal.out(style.dim(`    ${oneLine(id)}`));
    }
    for (const line of tellPlanProblems(state, telling)) terminal.out(line);
    for (const problem of [...state.warnings, ...state.told]) for (const line of tellProblem(problem, telling, style.yellow)) terminal.out(line);
    const cases = tests.reduce((sum, test) => sum + test.cases.length, 0);
    if (state.planProblems.length + state.loadFailures.length + state.told.length > 0) return 2;
    terminal.out(
      cases === 0
        ? style.yellow('no case was selected')
        : `\n${count(cases, 'case')} in ${count(tests.length, 'test')}, ${count(new Set(tests.map(({ header }) => header.file)).size, 'file')}`,
    );
    return cases === 0 ? 3 : 0;
  } finally {
    rmSync(record, { recursive: true, force: true });
  }
}
