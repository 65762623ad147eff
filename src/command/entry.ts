import { enableCompileCache } from '../node/compile-cache.ts';
import { startLane } from '../node/start-lane.ts';
import { canRunCases, restartInOneProcess, wantsOneProcess } from './one-process.ts';

const given = process.argv.slice(2);
const [word] = given.filter((argument) => !argument.startsWith('-'));
/** A debugger attaches to one process, so that everything runs there unless a number of lanes is given. */
const isDebugged =
  word === 'run' && process.execArgv.some((flag) => flag.startsWith('--inspect')) && !given.some((argument) => /^(?:--lanes|-l)/.test(argument));
const args = isDebugged ? [...given, '--lanes', '0'] : given;
/** Commands that usually need no lane. One that needs a lane starts it later. */
const commandsWithoutLane = ['accept', 'compare', 'help', 'merge', 'new', 'report', 'view'];
const mayRun = !args.some((argument) => ['-h', '--help', '-v', '--version'].includes(argument)) && !(word !== undefined && commandsWithoutLane.includes(word));
const runsInProcess = wantsOneProcess(args);

if (runsInProcess && !canRunCases(args)) {
  const { status, pid } = await restartInOneProcess(args);
  process.exitCode = status;
  const coverage = process.env['NODE_V8_COVERAGE'];
  if (coverage) (await import('./main.ts')).mapCoverage(coverage, pid);
} else {
  // A lane takes as long to boot as this process, so that it starts before anything else is loaded.
  const lane = mayRun && !runsInProcess ? startLane() : undefined;
  enableCompileCache();
  const { main } = await import('./main.ts');
  await main(args, lane, runsInProcess);
}
