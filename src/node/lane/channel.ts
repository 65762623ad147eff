import { startTimer } from '../../running/originals.ts';
import type { ToCoordinator } from '../protocol.ts';

/** How a lane talks with its coordinator. */
export interface Channel {
  send(message: ToCoordinator): void;
  onMessage(hear: (message: unknown) => void): void;
  /** Without a coordinator nobody would learn of anything any more. */
  onDisconnect(act: () => void): void;
  /** The process is this lane's alone. */
  readonly ownsProcess: boolean;
  /** Nothing more comes from this lane. */
  end(): void;
}

// Tests may replace what stands on `process`: the lane goes by what was there before them.
const exit = process.exit.bind(process);
const send = process.send?.bind(process);

/** The channel of a process that was forked. */
export const processChannel: Channel = {
  ownsProcess: true,
  send: (message) => void send?.(message),
  onMessage: (hear) => void process.on('message', hear),
  onDisconnect: (act) =>
    void process.on('disconnect', () => {
      act();
      exit(0);
    }),
  // The coordinator lets go of the lane then; what a test left running does not keep it. Coverage is written at the end.
  end: () => void startTimer(() => exit(0), process.env['NODE_V8_COVERAGE'] ? 50 : 1000),
};
