// Shared by all measurements: alternating runs, medians, limits. A machine is noisy; a ratio to a floor in the same run is less so.
import { spawnSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';

const { NODE_EXTRA_CA_CERTS, ...environment } = process.env;

export { environment };

/** The elapsed time of a program in milliseconds. Throws if its exit status differs from `status`. */
export function wall(args, { cwd, status = 0 } = {}) {
  const begun = performance.now();
  const ended = spawnSync(process.execPath, args, { cwd, env: environment, stdio: ['ignore', 'ignore', 'pipe'], encoding: 'utf8' });
  const milliseconds = performance.now() - begun;
  if (ended.status !== status) throw new Error(`${args.join(' ')} ended with ${ended.status}: ${ended.stderr}`);
  return milliseconds;
}

/** Runs several functions in turn, round after round. Returns the median of each. */
export function alternate(things, rounds) {
  const times = Object.fromEntries(Object.keys(things).map((name) => [name, []]));
  for (let round = 0; round < rounds; round++) for (const [name, run] of Object.entries(things)) times[name].push(run());
  return Object.fromEntries(Object.entries(times).map(([name, all]) => [name, all.sort((a, b) => a - b)[all.length >> 1]]));
}

/** Prints a table of measurements and their floors. Sets exit status 1 if a limit is exceeded. */
export function report(rows) {
  const width = Math.max(...rows.map(({ what }) => what.length));
  for (const { what, measured, floor, limit } of rows) {
    const ratio = measured / floor;
    // What could not be measured is not below a limit.
    const over = limit !== undefined && !(ratio <= limit);
    if (over) process.exitCode = 1;
    console.log(
      `${what.padEnd(width)}  ${measured.toFixed(1).padStart(8)} ms  ${ratio.toFixed(2).padStart(6)} x${limit === undefined ? '' : `  (at most ${Number(limit.toFixed(2))} x)${over ? '  OVER' : ''}`}`,
    );
  }
}

/** Prints one measured figure, a number as text, and its limit. Sets exit status 1 if it is over the limit or could not be measured. */
export function reportFigure(what, measured, unit, limit, isOver) {
  const isMissing = !Number.isFinite(Number(measured));
  if (isOver || isMissing) process.exitCode = 1;
  console.log(`${what.padEnd(66)} ${measured.padStart(8)} ${unit}  (${limit})${isMissing ? '  NOT MEASURED' : isOver ? '  OVER' : ''}`);
}

/** Records the highest memory of a process and its children, in megabytes. */
export function watchMemory(pid, seen) {
  try {
    const own = /VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'));
    if (own) seen.set(pid, Number(own[1]) / 1000);
    for (const task of readdirSync(`/proc/${pid}/task`)) {
      for (const child of readFileSync(`/proc/${pid}/task/${task}/children`, 'utf8').split(' ').filter(Boolean)) watchMemory(Number(child), seen);
    }
  } catch {
    // The process has ended.
  }
}
