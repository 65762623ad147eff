import { mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { explainNothingSelected } from '../formats/human/nothing-selected.ts';
import { renderPlanProblems } from '../formats/human/run.ts';
import { coordinate } from '../node/coordinator.ts';
import { findStateFolder } from '../node/record.ts';
import { exitStatus } from '../results/run-state.ts';
import { selectsAll } from '../suites/selection.ts';
import type { CommandContext } from './command-context.ts';
import { buildSelection, type SelectionOptions } from './options.ts';
import { buildDefaultRequest, prepare } from './prepare.ts';
import { createFormatting } from './terminal.ts';

/** Plans, and returns the ids of the selected cases; `all` if every case is selected. If none is, prints why and returns the exit status. */
export async function selectIds(where: readonly string[], options: SelectionOptions, setting: CommandContext): Promise<ReadonlySet<string> | 'all' | 2 | 3> {
  if (
    where.length === 0 &&
    !options.failed &&
    !options.idFile &&
    selectsAll({ titles: options.title, tags: options.tag, notTags: options.notTag, ids: options.id, rows: options.row, shard: options.shard })
  )
    return 'all';
  const prepared = await prepare(where, options, setting);
  if (!prepared) return 2;
  const { terminal, acquireLane } = setting;
  const selection = { ...buildSelection(options, prepared.targets, prepared), onRequest: true };
  const record = mkdtempSync(join(findStateFolder(prepared.root), 'plan-'));
  const ids = new Set<string>();
  try {
    const request = buildDefaultRequest(prepared, { mode: 'plan', selection, loadTimeout: options.loadTimeout, record });
    const state = await coordinate(request, acquireLane, prepared.compiler, (entry) => void (entry.type === 'listed' && ids.add(entry.name.id))).done;
    if (ids.size > 0) return ids;
    for (const line of renderPlanProblems(state, createFormatting(prepared.root, terminal))) terminal.error(line);
    terminal.error(terminal.style.yellow(explainNothingSelected(selection, where, state.planned?.suggestions)));
    return exitStatus(state) === 3 ? 3 : 2;
  } finally {
    rmSync(record, { recursive: true, force: true });
  }
}
