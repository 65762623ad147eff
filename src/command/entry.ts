import { laneFlags, startLane } from '../node/start-lane.ts';

const args = process.argv.slice(2);
const [word] = args.filter((argument) => !argument.startsWith('-'));
const mayRun = !args.some((argument) => ['-h', '--help', '-v', '--version', 'help'].includes(argument)) && word !== 'help';

/** Whether all is to run in one process: `--lanes 0`. */
const inOne = args.some((argument, at) => /^(?:--lanes=|-l)0$/.test(argument) || (/^(?:--lanes|-l)$/.test(argument) && args[at + 1] === '0'));

if (inOne && !laneFlags.every((flag) => process.execArgv.includes(flag))) {
  // This process cannot load modules from source: it gives its place, and its debugger's, to one that can.
  const [{ spawnSync }, { default: inspector }] = await Promise.all([import('node:child_process'), import('node:inspector')]);
  inspector.close();
  const { status, signal } = spawnSync(process.execPath, [...process.execArgv, ...laneFlags, process.argv[1] as string, ...args], { stdio: 'inherit' });
  process.exitCode = signal ? 1 : (status ?? 2);
} else {
  // A lane takes as long to boot as this process took: it is on its way before anything else is loaded.
  const lane = mayRun && !inOne ? startLane() : undefined;
  const { main } = await import('./main.ts');
  await main(args, lane, inOne);
}
