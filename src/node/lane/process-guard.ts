import { relative } from 'node:path';
import { parseFrames } from '../../problems/source-location.ts';
import type { CaseAttempt } from '../../running/case-attempt.ts';
import { buildThrowFailure } from '../../running/failures.ts';
import { now } from '../../running/globals.ts';
import { buildResult } from '../../running/outcome.ts';
import type { CaseResult } from '../../running/result.ts';
import type { RunHandle } from '../../running/run.ts';
import type { LaneChannel } from './channel.ts';
import type { LaneRecord } from './lane-record.ts';
import type { Output } from './output.ts';

// Tests can replace properties of `process`. The lane uses the originals.
const exit = process.exit.bind(process);

/** The number of frames of an error's stack, so that deep stacks include the line of the test. */
const STACK_FRAMES = 50;

/** The state of the lane, for handling errors and exits. */
export interface Guarded {
  readonly root: string;
  readonly channel: LaneChannel;
  readonly record: LaneRecord;
  readonly output: Output;
  /** The cases that have started and have no recorded result. */
  readonly runningCases: ReadonlySet<CaseAttempt>;
  /** The file that is being loaded. */
  readonly loading: () => string | undefined;
  readonly running: () => RunHandle | undefined;
  /** When the first case could start, on the runner's clock. */
  readonly started: () => number;
}

/** Guards the process of a lane: reports uncaught errors and rejections, and attributes its exit while it can still write. */
export class ProcessGuard {
  readonly #lane: Guarded;
  #exitCalled: { code: unknown; stack: string | undefined; run: CaseAttempt | undefined } | undefined;

  constructor(lane: Guarded) {
    this.#lane = lane;
  }

  install(): void {
    const { channel, output, record } = this.#lane;
    if (Error.stackTraceLimit === 10) Error.stackTraceLimit = STACK_FRAMES;
    channel.hide();
    output.capture((text) => record.writeUnowned(text), !channel.ownsProcess);
    process.on('uncaughtException', (error) => this.#handleUncaught(error, 'error'));
    process.on('unhandledRejection', (error) => this.#handleUncaught(error, 'rejection'));
    process.exit = ((...given: [] | [code: unknown]) => {
      const [code] = given;
      this.#exitCalled ??= { code, stack: new Error('exit').stack, run: output.current };
      // Without an argument, the current exit code applies: the runtime would take `undefined` for a status.
      return given.length === 0 ? exit() : exit(code as number);
    }) as typeof process.exit;
    // In one process, the command prints what is on record when it ends.
    process.prependListener('exit', (code) => {
      // Code under test can emit any event. The runtime sets `_exiting` first.
      if ((process as { _exiting?: boolean })._exiting !== false) this.#exited(code);
    });
  }

  #handleUncaught(error: unknown, kind: 'error' | 'rejection'): void {
    const { output, record, running } = this.#lane;
    const run = output.current;
    const runner = running();
    if (run && runner) {
      runner.handleLateError(run, error, kind);
      return;
    }
    const failure = buildThrowFailure(error, 'throw', {});
    record.writeProblem({ code: `unhandled-${kind}`, detail: failure.message, at: failure.location });
  }

  /** Records why the process ends before its lane, while it still can. */
  #exited(code: number): void {
    const { record, root, started } = this.#lane;
    if (record.isClosed) return;
    const loading = this.#lane.loading();
    const called = this.#exitCalled;
    const place = parseFrames(called?.stack)[0];
    const outside = called && !called.run && loading === undefined ? ' outside any case' : '';
    const how = called ? `process.exit(${called.code ?? ''}) was called${outside}` : `the process ended with exit status ${code}`;
    if (loading !== undefined) record.writeProblem({ code: 'load-failed', file: relative(root, loading), cause: 'exit', reason: how, at: place });
    const lateCaller = this.#lateCaller;
    if (lateCaller) {
      record.writeProblem({ code: 'late-exit', id: lateCaller.planned.id, detail: how, at: place });
      record.put({ type: 'exit-attributed' });
    }
    // Other running cases did not cause the end, and run again.
    for (const run of this.#attributeExit()) {
      const { planned } = run;
      const failures = [...run.failures, { cause: 'crash', message: how, location: place, step: run.stepPath } as const];
      const times = { setup: run.setup, body: now() - run.begun - run.setup, teardown: 0 };
      const result: CaseResult = { ...buildResult(run, { status: 'errored', cause: 'crash' }, run.attempt, started()), times, failures, attachments: [] };
      record.ended(planned, result);
      record.put({ type: 'exit-attributed' });
    }
    record.flush();
  }

  /** A case that ended the process after it had its result. */
  get #lateCaller(): CaseAttempt | undefined {
    const caller = this.#exitCalled?.run;
    return caller?.ended && !this.#lane.runningCases.has(caller) ? caller : undefined;
  }

  /** The cases that caused the end: the one that called for it, otherwise the only one that is running. */
  #attributeExit(): readonly CaseAttempt[] {
    if (this.#lateCaller) return [];
    const caller = this.#exitCalled?.run;
    if (caller) return [caller];
    const open = [...this.#lane.runningCases].filter((run) => !run.ended);
    return open.length === 1 ? open : [];
  }
}
