import type { ChildProcess } from 'node:child_process';
import type { Configuration } from '../node/configuration.ts';
import type { InterruptCause } from './interruption.ts';
import type { Terminal } from './terminal.ts';

/** The environment of a command, passed in so that commands neither use nor end the process directly. */
export interface CommandContext {
  /** The current folder. */
  readonly folder: string;
  readonly terminal: Terminal;
  /** Returns a lane's process. The first one has been booting since the start of the command. */
  acquireLane(): ChildProcess;
  /** Returns the project's configuration, which is read on first use, and again with `isReload`. */
  configuration(isReload?: boolean): Promise<Configuration>;
  /** Calls `callback` for each interrupting signal, and when the output is closed. */
  onInterrupt(callback: (cause: InterruptCause) => void): void;
  /** Calls `callback`, which returns the exit status, if a case ends the process of the command itself. Returns a function that revokes this. */
  onEarlyExit(callback: () => number): () => void;
}
