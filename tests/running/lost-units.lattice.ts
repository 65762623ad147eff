import type { ChildProcess } from 'node:child_process';
import { EventEmitter } from 'node:events';
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { suite, table, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { CompileService } from '../../src/node/compile-service.ts';
import { coordinate } from '../../src/node/coordinator.ts';
import type { Job, ToLane } from '../../src/node/protocol.ts';
import type { RunRequest } from '../../src/node/run-request.ts';
import type { Assignment } from '../../src/node/work-scheduler.ts';
import { encodeEntry, JOURNAL_VERSION, type JournalEntry } from '../../src/results/journal/entries.ts';
import type { RunState } from '../../src/results/run-state.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';

/**
 * `crash`: exits in its work unit. `early`: exits before it requests one. `idle`: ends properly without requesting one. `work`: runs
 * everything.
 */
type Behaviour = 'crash' | 'early' | 'idle' | 'work';

/** A lane's process that plans one test with one case and then behaves as the test requires. */
class ScriptedLane extends EventEmitter {
  connected = true;
  readonly stdout = null;
  readonly stderr = null;
  readonly #behaviour: Behaviour;
  #job: Job | undefined;
  #results = 0;

  constructor(behaviour: Behaviour) {
    super();
    this.#behaviour = behaviour;
  }

  send(message: ToLane): boolean {
    if (message.type === 'job') setImmediate(() => this.#begin(message.job));
    else if (message.type === 'assignment') setImmediate(() => this.#work(message.assignment));
    return true;
  }

  kill(): boolean {
    return true;
  }
  disconnect(): void {
    this.connected = false;
  }
  unref(): void {}

  #begin(job: Job): void {
    this.#job = job;
    this.#write({ type: 'header', version: JOURNAL_VERSION, lane: job.lane });
    this.#write({ type: 'planned', files: 1, tests: 1, problems: [], warnings: [], hash: 'h', suggestions: [] } as never);
    this.#write({ type: 'work-units', units: [{ tests: [0], isPartitionable: false }], tests: ['berth'] });
    this.#write({ type: 'idle' });
    if (this.#behaviour === 'early') this.#exit();
    else if (this.#behaviour === 'idle') this.#finish();
    else this.emit('message', { from: 'lane', type: 'free' });
  }

  #work(piece: Assignment | undefined): void {
    if (!piece) this.#finish();
    else if (this.#behaviour === 'crash') this.#exit();
    else {
      const result = { test: 0, ordinal: 0, id: 'berth', title: 'berth', row: {}, tags: [], status: 'passed', attempts: 1, attachments: [] } as const;
      this.#results++;
      this.#write({ type: 'ended', result: { ...EMPTY_OUTCOME, ...result } });
      this.emit('message', { from: 'lane', type: 'free' });
    }
  }

  #finish(): void {
    this.#write({ type: 'finished', selected: this.#results, isStuck: false, notRun: { cases: 0, isMore: false } });
    this.emit('message', { from: 'lane', type: 'done' });
  }

  #exit(): void {
    this.emit('exit', 1, null);
    this.emit('close', 1, null);
  }

  #write(entry: JournalEntry): void {
    appendFileSync((this.#job as Job).journal, encodeEntry(entry, JSON.stringify));
  }
}

async function run(folder: string, behaviours: readonly Behaviour[]): Promise<RunState> {
  const request = {
    ...{ mode: 'run', root: folder, files: [], selection: {}, seed: 1, everySpan: false, findLeaks: false, defaults: {}, tags: undefined, redact: undefined },
    ...{
      loaders: undefined,
      loadTimeout: 1000,
      lanes: 1,
      shuffle: false,
      stopAfter: undefined,
      after: [],
      plan: undefined,
      record: folder,
      cache: join(folder, 'cache'),
    },
    before: { times: new Map(), milliseconds: undefined },
  } as unknown as RunRequest;
  const script = [...behaviours];
  const start = (): ChildProcess => new ScriptedLane(script.shift() ?? 'work') as unknown as ChildProcess;
  return coordinate(request, start, new CompileService(request.cache), () => undefined).done;
}

export const lost = suite('a work unit is not lost', [
  testWith({ folder: tempDirectory() })(
    'when the processes of its lane end: {processes}',
    {
      cases: table(
        ['processes', 'passed', 'problems'],
        [
          [['work'], 1, []],
          [['crash', 'work'], 1, []],
          [['crash', 'early', 'work'], 1, []],
          [['early', 'work'], 1, []],
          // Nothing runs it, so that the run reports it.
          [['idle'], 0, ['unit-lost']],
        ],
      ),
    },
    async ({ row, check }, { folder }) => {
      const state = await run(folder, row.processes as readonly Behaviour[]);
      check.equal(state.counts.passed, row.passed);
      const problems: readonly string[] = state.runProblems.map(({ code }) => code);
      check.equal(problems, row.problems);
    },
  ),
]);
