import { startLane } from '../node/start-lane.ts';
import { canRunCases, restartInOneProcess, wantsOneProcess } from './one-process.ts';

const asked = process.argv.slice(2);
const [word] = asked.filter((argument) => !argument.startsWith('-'));
/** A debugger looks at one process: then all is to run there, unless somebody says how many are to. */
const isDebugged =
  word === 'run' && process.execArgv.some((flag) => flag.startsWith('--inspect')) && !asked.some((argument) => /^(?:--lanes|-l)/.test(argument));
const args = isDebugged ? [...asked, '--lanes', '0'] : asked;
const mayRun = !args.some((argument) => ['-h', '--help', '-v', '--version', 'help'].includes(argument)) && word !== 'help';
const inOne = wantsOneProcess(args);

if (inOne && !canRunCases()) {
  const { status, pid } = await restartInOneProcess(args);
  process.exitCode = status;
  const coverage = process.env['NODE_V8_COVERAGE'];
  if (coverage) (await import('./main.ts')).mapCoverage(coverage, pid);
} else {
  // A lane takes as long to boot as this process took: it is on its way before anything else is loaded.
  const lane = mayRun && !inOne ? startLane() : undefined;
  const { main } = await import('./main.ts');
  await main(args, lane, inOne);
}
