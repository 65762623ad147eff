import { availableParallelism, hostname } from 'node:os';
import { join } from 'node:path';
import { escapeToOneLine, formatCount } from '../formats/style.ts';
import { CompileService } from '../node/compile-service.ts';
import { findRoot } from '../node/find-files.ts';
import { parsePoolAddress } from '../node/pool/address.ts';
import { type JoinEvent, joinPool } from '../node/pool/join-pool.ts';
import { findStateFolder } from '../node/record.ts';
import type { CommandContext } from './command-context.ts';
import { getInterruptStatus, type Interruption, interrupt } from './interruption.ts';
import { failWith, type Terminal } from './terminal.ts';
import { version } from './version.ts';

export interface JoinCommandOptions {
  readonly lanes?: number;
  readonly once?: boolean;
  readonly name?: string;
}

/** Lends the lanes of this machine to the runs of a pool. Returns the exit status. */
export async function joinCommand(url: string, options: JoinCommandOptions, setting: CommandContext): Promise<number> {
  const { folder, terminal, acquireLane } = setting;
  const address = parsePoolAddress(url, process.env);
  if (typeof address === 'string') return failWith(terminal, address);
  const root = findRoot(folder);
  const { config, problems } = await setting.configuration();
  if (problems.length > 0) return failWith(terminal, 'the configuration is invalid; red-lattice plan says why');
  const lanes = options.lanes ?? Math.max(1, config.lanes ?? availableParallelism());
  const name = options.name ?? hostname();
  const cache = join(findStateFolder(root), 'cache');
  const compiler = new CompileService(cache);
  const interruption: Interruption = { by: undefined };
  const joined = await joinPool(address, {
    ...{ root, cache, compiler, tool: version, name, lanes },
    once: options.once === true,
    startLane: acquireLane,
    onEvent: (event) => terminal.out(describeEvent(event, `${address.name} as ${escapeToOneLine(name)} with ${formatCount(lanes, 'lane')}`, terminal)),
  });
  interruption.onInterrupt = () => joined.leave();
  setting.onInterrupt((cause) => interrupt(interruption, cause));
  await joined.done;
  compiler.prune();
  return interruption.by ? getInterruptStatus(interruption.by) : 0;
}

function describeEvent(event: JoinEvent, place: string, { style }: Terminal): string {
  const run = 'run' in event ? `run ${event.run.slice(0, 8)}` : '';
  switch (event.type) {
    case 'joined':
      return `joined ${place}; waiting for runs`;
    case 'run-began':
      return `${run}: takes part`;
    case 'run-ended':
      return `${run}: ended`;
    case 'refused':
      return style.yellow(`${run}: does not take part: ${event.reasons.map(escapeToOneLine).join(', ')}`);
    case 'server-gone':
      return style.yellow(`the server cannot be reached: ${escapeToOneLine(event.reason)}; still trying`);
    default:
      return 'the server is back';
  }
}
