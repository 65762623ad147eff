import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { killOnParentExit } from '../node/kill-on-parent-exit.ts';
import { LANE_FLAGS } from '../node/start-lane.ts';
import type { SerializedConfig } from '../suites/config.ts';

/** Whether this process has the flags of a lane. */
export const startedAsLane = (): boolean => LANE_FLAGS.every((flag) => process.execArgv.includes(flag));

/** Whether a configuration has functions as loaders. They can be asynchronous, so hooks cannot call them. */
export const needsRestart = ({ loaders = {} }: SerializedConfig): boolean => !startedAsLane() && Object.values(loaders).includes('function');

/** Runs the command in a new process that can run cases itself, with the debugger port of this one. */
export async function restartInOneProcess(args: readonly string[]): Promise<{ status: number; pid: number }> {
  const { default: inspector } = await import('node:inspector');
  inspector.close();
  const child = spawn(process.execPath, [...process.execArgv, ...LANE_FLAGS, process.argv[1] as string, ...args], { stdio: 'inherit' });
  killOnParentExit(child);
  // Ctrl-C in a terminal reaches both processes.
  process.on('SIGINT', () => process.stdin.isTTY || child.kill('SIGINT'));
  process.on('SIGTERM', () => child.kill('SIGTERM'));
  process.on('SIGHUP', () => child.kill('SIGHUP'));
  const [status] = (await once(child, 'exit')) as [number | null];
  return { status: status ?? 1, pid: child.pid as number };
}
