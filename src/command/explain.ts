import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { explanationsAsJson } from '../formats/explain.ts';
import { type LastTimes, renderExplanation } from '../formats/human/explain.ts';
import { renderPlanProblems, renderProblem } from '../formats/human/run.ts';
import { escapeToOneLine } from '../formats/style.ts';
import { coordinate } from '../node/coordinator.ts';
import { listEarlierRuns } from '../node/earlier-runs.ts';
import { findPath } from '../node/find-files.ts';
import { readJournals } from '../node/journals.ts';
import { findStateFolder } from '../node/record.ts';
import type { CaseName } from '../results/recorded-result.ts';
import type { Explanation } from '../running/explain-case.ts';
import type { CommandContext } from './command-context.ts';
import { buildDefaultRequest, prepare } from './prepare.ts';
import { createFormatting } from './terminal.ts';

export interface ExplainOptions {
  readonly format?: 'json';
  readonly loadTimeout: number;
}

const MAX_NAMED_CASES = 10;

/** Explains how a case is set up. `target` is an id, a part of a title, or file:line. */
export async function explainCommand(target: string, options: ExplainOptions, setting: CommandContext): Promise<number> {
  const { terminal, folder } = setting;
  const isPlace = existsSync(findPath(target.replace(/:\d+(?::\d+)?$/, ''), folder));
  const prepared = await prepare(isPlace ? [target] : [], {}, setting);
  if (!prepared) return 2;
  const { root, targets, compiler } = prepared;
  const formatting = createFormatting(root, terminal);
  const selection = isPlace ? { targets } : target.includes('#') ? { ids: [target] } : { titles: [target] };
  const record = mkdtempSync(join(findStateFolder(root), 'explain-'));
  const found: { readonly name: CaseName; readonly explanation: Explanation }[] = [];
  try {
    const request = buildDefaultRequest(prepared, { mode: 'explain', selection, loadTimeout: options.loadTimeout, record });
    const state = await coordinate(request, setting.acquireLane, compiler, (entry) => {
      if (entry.type === 'explained') found.push(entry);
    }).done;
    for (const line of renderPlanProblems(state, formatting)) terminal.error(line);
    for (const problem of state.runProblems) for (const line of ['', ...renderProblem(problem, formatting, terminal.style.red)]) terminal.error(line);
    if (options.format === 'json') terminal.out(explanationsAsJson(found, formatting.nameFile));
    else {
      const [first, ...others] = found;
      if (first) for (const line of renderExplanation(first.name, first.explanation, readNewestTimes(root), formatting)) terminal.out(line);
      if (others.length) {
        terminal.out(
          terminal.style.dim(
            `\n${others.length} more ${others.length === 1 ? 'case matches' : 'cases match'} "${escapeToOneLine(target)}"; name one by its id:`,
          ),
        );
        for (const { name } of others.slice(0, MAX_NAMED_CASES)) terminal.out(terminal.style.dim(`  ${escapeToOneLine(name.id)}`));
      }
    }
    if (found.length === 0) terminal.error(`red-lattice: no case matches "${escapeToOneLine(target)}". red-lattice plan --all lists all cases.`);
    if (found.length > 0) return 0;
    // A file or a source with problems can contain the case.
    return state.planProblems.length + state.loadFailures.length + state.runProblems.length > 0 ? 2 : 3;
  } finally {
    rmSync(record, { recursive: true, force: true });
  }
}

/** The times of setups and teardowns in the latest record. */
function readNewestTimes(root: string): LastTimes {
  const [newest] = listEarlierRuns(root);
  const times = new Map<string, { setup?: number; teardown?: number }>();
  for (const entry of newest ? readJournals(newest.folder, { inBlocks: true }) : []) {
    if (entry.type !== 'span') continue;
    const { fixture, owner, kind, milliseconds } = entry.span;
    const key = JSON.stringify([fixture, owner]);
    times.set(key, { ...times.get(key), [kind]: milliseconds });
  }
  return (fixture, of) => times.get(JSON.stringify([fixture, of]));
}
