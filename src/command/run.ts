import { join, resolve } from 'node:path';
import { findConfiguration } from '../node/configuration.ts';
import { findChangedFiles, findRecord, listEarlierRuns, type RecordReference } from '../node/earlier-runs.ts';
import { parsePoolAddress } from '../node/pool/address.ts';
import { openPool } from '../node/pool/lane-pool.ts';
import type { LanePool } from '../node/pool/seats.ts';
import { hashFiles } from '../node/read-files.ts';
import { lockRecord } from '../node/record-lock.ts';
import type { CommandContext } from './command-context.ts';
import { type Interruption, interrupt, isInterruptStatus } from './interruption.ts';
import { buildSelection } from './options.ts';
import { prepare } from './prepare.ts';
import { type RunCommandOptions, runOnce } from './run-once.ts';
import { failWith } from './terminal.ts';
import { version } from './version.ts';
import { type WatchInputs, watch } from './watch.ts';

/** Plans and runs cases and prints the results, once or, with `watch`, after each change. Returns the exit status. */
export async function runCommand(where: readonly string[], options: RunCommandOptions, setting: CommandContext): Promise<number> {
  const { folder, terminal } = setting;
  const prepared = await prepare(where, options, setting);
  if (!prepared) return 2;
  const { root, targets } = prepared;
  const earlier = options.resume ? interruptedRun(root, options.record && resolve(folder, options.record)) : undefined;
  if (typeof earlier === 'string') return failWith(terminal, earlier);
  const owner = earlier && lockRecord(earlier.folder);
  if (owner) return failWith(terminal, `the run of ${earlier.info.started} cannot be resumed: process ${owner.process} is still running it`);
  // The same files in the same order, since results refer to the number of their test in the plan.
  const files = earlier?.info.files ? Object.keys(earlier.info.files).map((file) => join(root, file)) : prepared.files;
  const selection = earlier?.info.selection ?? buildSelection(options, targets, prepared);
  if (options.watch && options.pool !== undefined) return failWith(terminal, '--watch runs on this machine alone; leave out --pool');
  if (options.watch) {
    const prepareAgain = async (): Promise<WatchInputs | undefined> => {
      const prepared = await prepare(where, options, setting, true);
      return prepared && { prepared, selection: buildSelection(options, prepared.targets, prepared) };
    };
    return watch({ where, options, setting, inputs: { prepared, selection }, prepareAgain });
  }
  const interruption: Interruption = { by: undefined };
  setting.onInterrupt((signal) => interrupt(interruption, signal));
  const pool = options.pool === undefined ? undefined : await openRunPool(options.pool, options, root, files);
  if (typeof pool === 'string') return failWith(terminal, pool);
  return (await runOnce({ where, files, selection, earlier, options, prepared, interruption, pool }, setting)).status;
}

/** Opens the pool of lanes on other machines, or explains why it cannot. */
async function openRunPool(url: string, { shard }: RunCommandOptions, root: string, files: readonly string[]): Promise<LanePool | string> {
  const address = parsePoolAddress(url, process.env);
  if (typeof address === 'string') return `--pool: ${address}`;
  if (shard !== undefined) return '--pool and --shard share out the same cases in two ways; use one of them';
  const configuration = findConfiguration(root);
  return openPool(address, { root, tool: version, files: hashFiles([...files, ...(configuration === undefined ? [] : [configuration])], root) });
}

/** Finds the latest incomplete run, or explains why it cannot be resumed. */
function interruptedRun(root: string, path: string | undefined): RecordReference | string {
  const runs = path === undefined ? listEarlierRuns(root) : [findRecord(path, root, root)].filter((found) => found !== undefined);
  const run = runs[0];
  if (!run || (run.info.milliseconds !== undefined && !run.info.notRun && !isInterruptStatus(run.info.exitStatus)))
    return 'nothing to resume: the last run is complete';
  const changed = findChangedFiles(run, root);
  return changed.length > 0 ? `the run of ${run.info.started} cannot be resumed: ${changed.join(', ')} changed since` : run;
}
