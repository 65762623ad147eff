import type { EventEmitter } from 'node:events';
import { startTimer } from '../../running/globals.ts';
import type { ToCoordinator } from '../protocol.ts';

/** The communication of a lane with its coordinator. */
export interface LaneChannel {
  send(message: ToCoordinator): void;
  onMessage(listener: (message: unknown) => void): void;
  /** Calls `callback` when the coordinator is gone, and ends the process when `callback` has finished. */
  onDisconnect(callback: () => Promise<void>): void;
  /** Hides the channel from code under test. */
  hide(): void;
  /** Whether the process belongs to this lane only. */
  readonly ownsProcess: boolean;
  /** Ends the communication: the lane sends nothing more. */
  end(): void;
}

/** The time limit in milliseconds of all teardowns after the coordinator has gone. */
const MAX_TEARDOWN_MS = 60_000;

// Tests can replace properties of `process`. The lane uses the originals.
const exit = process.exit.bind(process);
const send = process.send?.bind(process) as ((message: ToCoordinator, sent: () => void) => boolean) | undefined;

/** Hides the channel, so that code under test sees an ordinary process, and cannot send messages in the name of the lane. */
function hideChannel(): void {
  delete process.send;
}

const soon = queueMicrotask;

const events: EventEmitter = process;

/** Adds a listener, and adds it again after a test has removed all listeners. */
function keepListening(event: 'message' | 'disconnect', listener: (message: unknown) => void): void {
  const listen = (): void => {
    if (!events.listeners(event).includes(listener)) events.on(event, listener);
    if (!events.listeners('removeListener').includes(listenSoon)) events.on('removeListener', listenSoon);
  };
  const listenSoon = (): void => soon(listen);
  listen();
}

/** The channel of a forked process. */
export const processChannel: LaneChannel = {
  ownsProcess: true,
  send: (message) => void (process.connected && send?.(message, () => undefined)),
  hide: hideChannel,
  onMessage: (listener) => keepListening('message', listener),
  onDisconnect: (callback) =>
    keepListening('disconnect', () => {
      // Code under test can emit any event.
      if (process.connected) return;
      // Without the channel, nothing else keeps the process alive.
      startTimer(() => exit(1), MAX_TEARDOWN_MS);
      void callback().finally(() => exit(0));
    }),
  // The coordinator then releases the lane, and anything that a test has left running does not keep it alive. Coverage is written at the
  // end.
  end: () => void startTimer(() => exit(0), process.env['NODE_V8_COVERAGE'] ? 50 : 1000),
};
