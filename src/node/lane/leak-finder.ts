import { createHook, executionAsyncId } from 'node:async_hooks';
import { type CapturedStack, captureStack, type Frame, parseFrames } from '../../problems/source-location.ts';
import type { Leak } from '../../results/leaks.ts';

type After = Leak['after'];

/** The counted resources, by their names in `process.getActiveResourcesInfo` and in asynchronous hooks. */
const kinds: Readonly<Record<string, string>> = {
  Timeout: 'timer',
  TCPServerWrap: 'server',
  TCPSERVERWRAP: 'server',
  PipeServerWrap: 'server',
  PIPESERVERWRAP: 'server',
  TCPSocketWrap: 'socket',
  TCPWRAP: 'socket',
  UDPWrap: 'UDP socket',
  UDPWRAP: 'UDP socket',
  ProcessWrap: 'child process',
  PROCESSWRAP: 'child process',
  FSEventWrap: 'file watcher',
  FSEVENTWRAP: 'file watcher',
  Worker: 'worker',
  WORKER: 'worker',
};

/**
 * Counts open resources after each step. One that appears in a case and is still there at the end was left open by the case.
 *
 * Resources of a shared fixture are attributed to it, and are expected to close with it. Of the others, the last that was opened counts as
 * the first that closes.
 */
export class LeakCounter {
  readonly #open = new Map<string, { readonly after: After; readonly owner: string | undefined }[]>();
  /** Shared fixtures that were torn down. Their resources are expected to close first, immediately or soon after. */
  readonly #tornDown = new Set<string>();
  #counts = countActive();

  /**
   * Counts again. `after` is the only possible source of a change since the last time; `owner` is the shared fixture that was set up or
   * torn down.
   */
  sample(after: After, owner?: string, isTornDown = false): void {
    if (isTornDown && owner !== undefined) this.#tornDown.add(owner);
    const counts = countActive();
    for (const kind of new Set([...counts.keys(), ...this.#counts.keys()])) {
      const open = this.#open.get(kind) ?? [];
      const change = (counts.get(kind) ?? 0) - (this.#counts.get(kind) ?? 0);
      for (let i = 0; i < change; i++) open.push({ after, owner });
      for (let i = 0; i < -change; i++) {
        const ofEndedOwner = open.findLastIndex((one) => one.owner !== undefined && this.#tornDown.has(one.owner));
        const unowned = open.findLastIndex((one) => one.owner === undefined);
        open.splice(ofEndedOwner >= 0 ? ofEndedOwner : unowned >= 0 ? unowned : open.length - 1, 1);
      }
      this.#open.set(kind, open);
    }
    this.#counts = counts;
  }

  get leaks(): Leak[] {
    return [...this.#open].flatMap(([kind, open]) => open.map(({ after }) => ({ kind, after })));
  }
}

function countActive(): Map<string, number> {
  const counts = new Map<string, number>();
  for (const name of process.getActiveResourcesInfo()) {
    const kind = kinds[name];
    if (kind) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  }
  return counts;
}

/**
 * Records where each resource is opened in a case. This is expensive, and only used for cases that are known to leave something open.
 *
 * If a resource is opened in a callback of the runtime, no frame belongs to the project. Its location is then that of the operation which
 * led to the callback.
 */
export class LeakFinder {
  readonly #open = new Map<number, { kind: string; after: After }>();
  readonly #begun = new Map<number, { origin: CapturedStack; by: number }>();

  constructor(current: () => After) {
    const init = (id: number, type: string): void => {
      const after = current();
      if (!after) return;
      this.#begun.set(id, { origin: captureStack(init, 30), by: executionAsyncId() });
      const kind = kinds[type];
      if (kind) this.#open.set(id, { kind, after });
    };
    createHook({ init, destroy: (id) => void this.#open.delete(id) }).enable();
  }

  /** The resources that were opened and not closed, with locations. */
  get leaks(): Leak[] {
    return [...this.#open].map(([id, leak]) => {
      const frames = this.#findFrames(id);
      const [place] = frames;
      return { ...leak, ...(place && { location: { file: place.file, line: place.line, column: place.column }, frames }) };
    });
  }

  #findFrames(id: number): Frame[] {
    for (let begun = this.#begun.get(id); begun; begun = this.#begun.get(begun.by)) {
      const frames = parseFrames(begun.origin.stack).filter(({ file }) => !file.includes('/node_modules/'));
      if (frames.length > 0) return frames;
    }
    return [];
  }
}
