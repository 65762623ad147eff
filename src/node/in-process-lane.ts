import type { ChildProcess } from 'node:child_process';
import { EventEmitter } from 'node:events';
import type { LaneChannel } from './lane/channel.ts';
import type { ToCoordinator, ToLane } from './protocol.ts';

/**
 * A lane in this process, for a debugger, with the interface of a child process. It cannot be killed: time limits do not apply to a body
 * that blocks, and a case that ends the process ends everything.
 */
export class InProcessLane extends EventEmitter {
  connected = true;
  readonly pid = undefined;
  readonly stdout = null;
  readonly stderr = null;
  #listener: ((message: unknown) => void) | undefined;
  #started: Promise<void> | undefined;

  static start(): ChildProcess {
    return new InProcessLane() as unknown as ChildProcess;
  }

  send(message: ToLane): boolean {
    this.#started ??= this.#start();
    void this.#started.then(() => this.#listener?.(message));
    return true;
  }

  async #start(): Promise<void> {
    const { laneMain } = (await import(new URL('./lane-entry.js', import.meta.url).href)) as typeof import('./lane-entry.ts');
    const channel: LaneChannel = {
      ownsProcess: false,
      send: (message: ToCoordinator) => void setImmediate(() => this.emit('message', message)),
      hide: () => undefined,
      onMessage: (listener) => {
        this.#listener = listener;
      },
      onDisconnect: () => undefined,
      end: () => undefined,
    };
    laneMain(channel);
  }

  kill(): boolean {
    return false;
  }
  disconnect(): void {
    this.connected = false;
  }
  ref(): void {}
  unref(): void {}
}
