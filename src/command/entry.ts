import { enableCompileCache } from '../node/compile-cache.ts';
import { hasHooks } from '../node/loading/hooks.ts';
import { startLane } from '../node/start-lane.ts';
import { chooseProcess } from './choose-process.ts';
import { restartInOneProcess, startedAsLane } from './one-process.ts';

const coverage = process.env['NODE_V8_COVERAGE'];
const { args, process: casesRunIn } = chooseProcess(process.argv.slice(2), {
  flags: process.execArgv,
  isLane: startedAsLane(),
  hasHooks: hasHooks(),
  measuresCoverage: Boolean(coverage),
});

if (casesRunIn === 'new process') {
  const { status, pid } = await restartInOneProcess(args);
  process.exitCode = status;
  if (coverage) (await import('./main.ts')).mapCoverage(coverage, pid);
} else {
  // A lane takes as long to boot as this process, so that it starts before anything else is loaded.
  const lane = casesRunIn === 'lane' ? startLane() : undefined;
  enableCompileCache();
  const { main } = await import('./main.ts');
  await main(args, lane, casesRunIn === 'this process');
}
