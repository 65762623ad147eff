import type { ChildProcess } from 'node:child_process';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { CompileService } from './compile-service.ts';
import { type LaneRequest, type LaneWork, superviseLane } from './lane-process.ts';
import type { Job, SerializedValue } from './protocol.ts';

/** Starts the process of the run-scoped fixtures on first use, and forwards messages to it: one for all lanes. */
export class RunFixturesProcess {
  readonly #start: () => ChildProcess;
  readonly #compiler: CompileService;
  readonly #take: (entry: JournalEntry) => void;
  readonly #waiting = new Map<number, (serialized: SerializedValue) => void>();
  #host: LaneWork | undefined;
  #ended: string | undefined;
  #requests = 0;

  constructor(start: () => ChildProcess, compiler: CompileService, take: (entry: JournalEntry) => void) {
    this.#start = start;
    this.#compiler = compiler;
    this.#take = take;
  }

  /** Forwards a request of a lane, and the reply. */
  handleMessage(message: LaneRequest, lane: () => LaneWork | undefined, job: Job): void {
    this.#host ??= this.#open(job);
    if (message.type === 'used') this.#host.send({ to: 'lane', type: 'used', address: message.address, users: message.users });
    else if (message.type === 'fetch') {
      const request = this.#requests++;
      const answer = (serialized: SerializedValue): void => lane()?.send({ to: 'lane', type: 'fetched', request: message.request, serialized });
      if (this.#ended !== undefined) answer(lost(this.#ended));
      else {
        this.#waiting.set(request, answer);
        this.#host.send({ to: 'lane', type: 'fetch', request, address: message.address });
      }
    }
  }

  /** Ends the process, when no lane needs it any more. */
  async close(): Promise<void> {
    this.#host?.send({ to: 'lane', type: 'close' });
    await this.#host?.end;
  }

  /** Interrupts running setups. The fixtures are torn down when the lanes have ended. */
  interrupt(urgent: boolean): void {
    this.#host?.interrupt(urgent);
  }

  kill(): void {
    this.#host?.kill();
  }

  #open(job: Job): LaneWork {
    const host = superviseLane(
      this.#start(),
      { ...job, mode: 'host', journal: job.journal.replace(/lane-[^/\\\\]*$/, 'run-fixtures.journal') },
      this.#compiler,
      {
        inBlocks: false,
        // The lanes have reported files that do not load, and problems of the plan.
        take: (entry) => {
          if (entry.type === 'teardown-failed' || entry.type === 'output') this.#take(entry);
        },
        onMessage: (message) => {
          if (message.type !== 'fetched') return;
          this.#waiting.get(message.request)?.(message.serialized);
          this.#waiting.delete(message.request);
        },
        onOverdue: () => undefined,
      },
    );
    void host.end.then(({ code, signal }) => {
      this.#ended = signal ? `was ended by ${signal}` : `ended with exit status ${code}`;
      for (const answer of this.#waiting.values()) answer(lost(this.#ended));
      this.#waiting.clear();
      if (!host.lane.finished)
        this.#take({
          type: 'problem',
          problem: { code: 'run-fixtures-lost', reason: this.#ended },
        });
    });
    return host;
  }
}

const lost = (how: string): SerializedValue => ({
  error: { name: 'Error', message: `the process of the run's fixtures ${how}`, stack: undefined, fixture: undefined, isAlreadyReported: false },
});
