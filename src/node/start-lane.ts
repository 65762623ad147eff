import { type ChildProcess, fork } from 'node:child_process';

/** The flags of a process that loads modules from source. */
export const LANE_FLAGS = ['--experimental-vm-modules', '--experimental-import-meta-resolve', '--disable-warning=ExperimentalWarning'];

/** Starts a process that waits for a job. It boots while the coordinator reads its arguments and looks for files. */
export function startLane(): ChildProcess {
  return fork(new URL('./lane.js', import.meta.url), ['lane'], {
    // A debugger attaches to one process, with `--lanes 0`.
    execArgv: [...process.execArgv.filter((flag) => !flag.startsWith('--inspect')), ...LANE_FLAGS],
    serialization: 'json',
    // With a process group of its own, a lane can be killed with its children, and signals of a terminal reach the command only.
    // On Windows, it would open a window.
    detached: process.platform !== 'win32',
    stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
  });
}
