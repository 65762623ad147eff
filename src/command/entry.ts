import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { endWithUs } from '../node/orphans.ts';
import { laneFlags, startLane } from '../node/start-lane.ts';

const asked = process.argv.slice(2);
const [word] = asked.filter((argument) => !argument.startsWith('-'));
/** A debugger looks at one process: then all is to run there, unless somebody says how many are to. */
const isDebugged =
  word === 'run' && process.execArgv.some((flag) => flag.startsWith('--inspect')) && !asked.some((argument) => /^(?:--lanes|-l)/.test(argument));
const args = isDebugged ? [...asked, '--lanes', '0'] : asked;
const mayRun = !args.some((argument) => ['-h', '--help', '-v', '--version', 'help'].includes(argument)) && word !== 'help';

/** Whether all is to run in one process: `--lanes 0`. */
const inOne = args.some((argument, at) => /^(?:--lanes=|-l)0$/.test(argument) || (/^(?:--lanes|-l)$/.test(argument) && args[at + 1] === '0'));

if (inOne && !laneFlags.every((flag) => process.execArgv.includes(flag))) {
  // This process cannot load modules from source: it gives its place, and its debugger's, to one that can.
  const { default: inspector } = await import('node:inspector');
  inspector.close();
  const child = spawn(process.execPath, [...process.execArgv, ...laneFlags, process.argv[1] as string, ...args], { stdio: 'inherit' });
  endWithUs(child);
  // Ctrl-C in a terminal has reached both.
  process.on('SIGINT', () => process.stdin.isTTY || child.kill('SIGINT'));
  process.on('SIGTERM', () => child.kill('SIGTERM'));
  const [status] = (await once(child, 'exit')) as [number | null];
  process.exitCode = status ?? 1;
  const coverage = process.env['NODE_V8_COVERAGE'];
  if (coverage) (await import('./main.ts')).mapCoverage(coverage, child.pid as number);
} else {
  // A lane takes as long to boot as this process took: it is on its way before anything else is loaded.
  const lane = mayRun && !inOne ? startLane() : undefined;
  const { main } = await import('./main.ts');
  await main(args, lane, inOne);
}
