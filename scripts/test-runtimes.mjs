// Runs the trusted base and the tests of cases, loading and commands with other versions of Node, which come from the registry as packages.
// usage: test-runtimes.mjs [--brief] [major version…]    (default: 20 22 24 26). In CI, a version that cannot be installed is left out.
//   --brief: only the tests whose code depends most on the version: loading, watching, repeated runs, and runs in one process.
import { join } from 'node:path';
import { installRuntime } from './install-runtime.mjs';
import { command, laneOptions, root, show } from './steps.mjs';

const isBrief = process.argv.includes('--brief');
const asked = process.argv.slice(2).filter((argument) => !argument.startsWith('--'));
const versions = asked.length > 0 ? asked : ['20', '22', '24', '26'];
const briefSuites = ['tests/loading', 'tests/command/in-one-process.lattice.ts', 'tests/command/repeated-runs.lattice.ts'];
/** The small projects of the trusted base that depend most on the version. */
const briefBase = '/load|import|TypeScript|one process|config|source/';
const suites = isBrief ? briefSuites : ['tests/cases', 'tests/loading', 'tests/command', 'tests/running/running.lattice.ts'];

const failed = versions.filter((version) => {
  const runtime = installRuntime(version);
  if (runtime === undefined) {
    console.log(`\nNode ${version}: left out, it cannot be installed here`);
    return false;
  }
  console.log(`\nNode ${version}`);
  const base = show(runtime, [join(root, 'tests', 'root', 'run.mjs'), ...(isBrief ? [briefBase] : [])]);
  return base + show(runtime, [command, 'run', ...suites, '--show', 'summary', ...laneOptions]) > 0;
});
console.log(failed.length === 0 ? `\nNode ${versions.join(', ')}: no test failed` : `\nfailed with Node ${failed.join(', ')}`);
if (failed.length > 0) process.exitCode = 1;
