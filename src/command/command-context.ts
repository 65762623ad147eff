import type { ChildProcess } from 'node:child_process';
import type { Configuration } from '../node/configuration.ts';
import type { InterruptCause } from './interruption.ts';
import type { Terminal } from './terminal.ts';

/** What a command is called in: handed in, so that commands neither reach for the process nor end it. */
export interface CommandContext {
  /** The current folder. */
  readonly folder: string;
  readonly terminal: Terminal;
  /** A lane's process: the first has been booting since the command was typed. */
  acquireLane(): ChildProcess;
  /** The project's configuration: read once, when it is first needed, and again with `again`. */
  configuration(isReload?: boolean): Promise<Configuration>;
  /** Calls `act` at each interrupting signal, and when the output is closed. */
  onInterrupt(act: (cause: InterruptCause) => void): void;
}
