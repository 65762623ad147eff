import { relative, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { setAmbientHost } from '../../cases/ambient-host.ts';
import { hash } from '../../cases/hash.ts';
import type { ExpansionHost } from '../../cases/row.ts';
import { DEFAULT_FIXTURE_TIMEOUT_MS } from '../../fixtures/instance.ts';
import { ignoreUnknown } from '../../problems/never.ts';
import type { CaseAttempt } from '../../running/case-attempt.ts';
import { createTimeoutPolicy } from '../../running/deadlines.ts';
import { buildThrowFailure } from '../../running/failures.ts';
import { makePromise, now, waitForTurn, wallClockNow } from '../../running/globals.ts';
import { EMPTY_OUTCOME } from '../../running/outcome.ts';
import { type RunHandle, runPlan } from '../../running/run.ts';
import type { PlanPart } from '../../running/run-options.ts';
import { beginCreated } from '../../suites/created-items.ts';
import { type LoadedFile, planFiles } from '../../suites/plan.ts';
import type { Plan, PlannedTest } from '../../suites/planned.ts';
import { ProbeBuilder } from '../../suites/probes.ts';
import { compileRedactions } from '../../suites/redaction.ts';
import { buildSelector } from '../../suites/selection.ts';
import { suggestSelections } from '../../suites/suggestions.ts';
import { splitPlan } from '../../suites/work-units.ts';
import { createFileCache, nodeFiles } from '../files.ts';
import { isInspected } from '../loading/debugging.ts';
import type { ModuleLoader } from '../loading/module-loader.ts';
import { mapStacks } from '../loading/stacks.ts';
import type { Job, ToCoordinator, ToLane } from '../protocol.ts';
import type { Assignment } from '../work-scheduler.ts';
import type { LaneChannel } from './channel.ts';
import { findAssigned, recordedIn } from './earlier-results.ts';
import { LaneRecord } from './lane-record.ts';
import { LeakFinder } from './leak-finder.ts';
import { explainCases, listCases } from './listing.ts';
import { loadFile } from './load.ts';
import { createModuleLoader, type PendingCompilations } from './modules.ts';
import { findCaseName } from './names.ts';
import { Output } from './output.ts';
import { ProcessGuard } from './process-guard.ts';
import { RemoteRunFixtures } from './remote-run-fixtures.ts';
import { findRowLines } from './row-lines.ts';
import { RunFixtureProcess } from './run-fixture-process.ts';
import { RunRecorder } from './run-recorder.ts';
import { countUnfinished, waitForUnfinished } from './unfinished.ts';

/** How long in milliseconds a lane waits at its end for open timers and requests, so that late failures are reported. */
const MAX_LATE_FAILURES = 1000;

/** Runs one job: loads and plans files, runs cases, and writes everything to a journal. */
export class Lane {
  readonly #job: Job;
  readonly #channel: LaneChannel;
  readonly #signal: AbortSignal;
  readonly #record: LaneRecord;
  readonly #output = new Output();
  /** A time limit must not end a process that is stopped in a debugger. */
  readonly #hasNoTimeouts = isInspected();
  readonly #limit = createTimeoutPolicy(this.#hasNoTimeouts);
  readonly #modules: ModuleLoader;
  #expansionHost: ExpansionHost;
  readonly #runningCases = new Set<CaseAttempt>();
  /** The file that is being loaded, for attributing an exit outside of cases. */
  #loading: string | undefined;
  #running: RunHandle | undefined;
  /** When the first case could start, on the runner's clock. */
  #started = 0;
  readonly #send: (message: ToCoordinator) => void;
  readonly #runFixtures: RemoteRunFixtures;
  /** The host of run-scoped fixtures, when it is ready. Only in the process that owns them. */
  readonly #host: Promise<RunFixtureProcess>;
  #hosts: (host: RunFixtureProcess) => void = () => undefined;
  /** Resolves the request for the next assignment. */
  #resolveAssignment: (assignment: Assignment | undefined) => void = () => undefined;
  readonly #locked = new Map<number, () => void>();
  #requests = 0;

  constructor(job: Job, signal: AbortSignal, compiling: PendingCompilations, channel: LaneChannel) {
    this.#job = job;
    this.#channel = channel;
    this.#send = (message) => channel.send(message);
    this.#signal = signal;
    const isRedacted = compileRedactions(job.redact);
    this.#expansionHost = { files: nodeFiles, kept: createFileCache(job.cache), tags: job.tags && new Set(job.tags), isRedacted };
    const expected = new Set<string>();
    const onExpectedFile = ({ href }: URL, { href: reader, protocol }: URL): void => {
      // Suites that a test runs by itself can have files elsewhere.
      if (protocol === 'file:' && !expected.has(`${href} ${reader}`))
        this.#record.put({ type: 'expected-file', file: href, reader: relative(job.root, fileURLToPath(reader)).split(sep).join('/') });
      expected.add(`${href} ${reader}`);
    };
    setAmbientHost({ ...this.#expansionHost, onExpectedFile }, true);
    this.#host = new Promise((resolve) => {
      this.#hosts = resolve;
    });
    this.#record = new LaneRecord(job, isRedacted, ({ message }) => this.#send({ from: 'lane', type: 'unwritable', reason: message }));
    this.#runFixtures = new RemoteRunFixtures(this.#send);
    this.#modules = createModuleLoader(job.cache, compiling, this.#send, job.loaders);
  }

  /** Never hangs: an internal error is reported and ends the lane. */
  async run(): Promise<void> {
    mapStacks(this.#modules.maps);
    new ProcessGuard({
      root: this.#job.root,
      channel: this.#channel,
      record: this.#record,
      output: this.#output,
      runningCases: this.#runningCases,
      loading: () => this.#loading,
      running: () => this.#running,
      started: () => this.#started,
    }).install();
    try {
      await this.#runJob();
    } catch (error) {
      this.#record.writeProblem({ code: 'internal-error', reason: buildThrowFailure(error, 'throw', {}).message });
      this.#end();
    }
  }

  async #runJob(): Promise<void> {
    beginCreated();
    const loaded = await this.#load();
    this.#record.put({ type: 'activity', activity: { kind: 'plan', name: 'the rows of the tests', limit: this.#limit(this.#job.loadTimeout) } }, true);
    const rowLines = await findRowLines(this.#job.selection.targets ?? [], new Set(loaded.flatMap(({ url }) => url?.href ?? [])));
    if (rowLines) this.#expansionHost = { ...this.#expansionHost, rowLines };
    const plan = await planFiles(loaded, this.#expansionHost, this.#job.defaults);
    this.#record.put(
      {
        type: 'planned',
        files: plan.files.length,
        tests: plan.tests.length,
        problems: plan.problems,
        warnings: plan.warnings,
        hash: hash(plan.tests.map(({ id }) => id).join('\n')),
        suggestions: suggestSelections(this.#job.selection, plan),
      },
      true,
    );
    const { mode, selection } = this.#job;
    if (mode === 'plan') await listCases(plan, selection, this.#expansionHost, (entry) => this.#record.put(entry));
    else if (mode === 'explain') await explainCases(plan, selection, this.#expansionHost, (entry) => this.#record.put(entry));
    else if (mode === 'run') await this.#run(plan);
    if (this.#job.mode === 'host')
      this.#hosts(new RunFixtureProcess(plan, this.#expansionHost, this.#job.seed, this.#hasNoTimeouts, (text) => this.#record.put({ type: 'output', text })));
    else this.#end();
  }

  /** Handles messages that arrive during the job. */
  async receive(message: Exclude<ToLane, { type: 'job' | 'configure' | 'compiled' | 'stop' | 'interrupt' | 'ping' }>): Promise<void> {
    switch (message.type) {
      case 'assignment':
        this.#resolveAssignment(message.assignment);
        break;
      case 'locked':
        this.#locked.get(message.request)?.();
        break;
      case 'fetched':
        this.#runFixtures.take(message.request, message.serialized);
        break;
      case 'fetch':
        this.#send({ from: 'lane', type: 'fetched', request: message.request, serialized: await (await this.#host).fetch(message.address) });
        break;
      case 'used':
        (await this.#host).used(message.address, message.users);
        break;
      case 'close':
        await this.#closeHost();
        break;
      default:
        ignoreUnknown(message);
    }
  }

  /** Tears down the run-scoped fixtures, and ends. */
  async #closeHost(): Promise<void> {
    this.#record.put({ type: 'activity', activity: { kind: 'teardown', name: 'the run', limit: this.#limit(DEFAULT_FIXTURE_TIMEOUT_MS) } }, true);
    for (const { fixture, failure } of await (await this.#host).close()) {
      const result = { ...EMPTY_OUTCOME, status: 'errored', cause: 'teardown', failures: [failure] } as const;
      this.#record.put({ type: 'teardown-failed', id: `run!${fixture}`, title: `teardown of fixture "${fixture}" for the run`, result }, true);
    }
    this.#record.put({ type: 'finished', selected: 0, isStuck: false }, true);
    this.#end();
  }

  async #load(): Promise<LoadedFile[]> {
    const loaded: LoadedFile[] = [];
    for (const path of this.#job.files) {
      if (this.#job.skippedFiles.includes(path)) continue;
      this.#loading = path;
      const limit = this.#limit(this.#job.loadTimeout);
      this.#record.put({ type: 'activity', activity: { kind: 'load', name: path, limit } }, true);
      const begun = now();
      const outcome = await loadFile(path, this.#job.root, this.#modules, limit);
      this.#loading = undefined;
      if ('code' in outcome) this.#record.put({ type: 'problem', problem: outcome }, true);
      else {
        loaded.push(outcome);
        this.#record.put({ type: 'loaded', file: outcome.file, milliseconds: now() - begun, reads: this.#modules.graph.reachedFrom(pathToFileURL(path).href) });
      }
    }
    return loaded;
  }

  async #run(plan: Plan): Promise<void> {
    const selector = buildSelector(this.#job.selection, plan, findAssigned(this.#job.selection.shard), this.#expansionHost.rowLines);
    this.#record.registerSecrets(plan);
    const units = this.#job.hasPeers ? splitPlan(plan) : [{ tests: plan.tests.map(({ index }) => index), isPartitionable: false }];
    this.#record.put({ type: 'work-units', units, tests: plan.tests.map(({ id }) => id) }, true);
    const finder = this.#job.findLeaks ? new LeakFinder(() => findCaseName(this.#output.current?.planned)) : undefined;
    this.#record.put({ type: 'running', at: wallClockNow() });
    const before = countUnfinished();
    this.#started = now();
    const recorder = new RunRecorder(this.#record, this.#runningCases, this.#started);
    this.#running = runPlan(
      plan,
      {
        seed: this.#job.seed,
        lane: this.#job.lane,
        host: this.#expansionHost,
        signal: this.#signal,
        announcesEveryCase: this.#job.isolatesCases,
        isSerial: this.#job.isolatesCases,
        // Only a process can be replaced.
        stopWhenStuck: this.#channel.ownsProcess,
        hasNoTimeouts: this.#hasNoTimeouts,
        unrefsTimers: true,
        runFixtures: this.#runFixtures,
        rowsLimit: this.#limit(this.#job.loadTimeout),
        everySpan: this.#job.everySpan,
        select: selector.all ? undefined : selector.select,
        shuffle: this.#job.shuffle,
        stopAfter: this.#job.stopAfter,
        parts: this.#assignments(plan),
        lock: this.#job.hasPeers ? (names) => this.#lock(names) : undefined,
        isRequested: selector.isRequested,
        bindContext: (run, callback) => this.#output.bind(run, callback),
      },
      recorder,
    );
    const { selected, notRun, isStuck, overrideUses, warnings } = await this.#running.done;
    recorder.writeTestDetails();
    this.#record.put({ type: 'override-usage', uses: overrideUses, warnings });
    // Resources that are being closed get a turn to disappear.
    await waitForTurn();
    await waitForTurn();
    // Resources that the coordinator has open in the same process belong to no case.
    this.#record.put({ type: 'leaks', leaks: finder?.leaks ?? (this.#channel.ownsProcess ? recorder.countLeaks() : []) });
    if (!isStuck && !this.#signal.aborted) await waitForUnfinished(before, MAX_LATE_FAILURES);
    const { inOtherShards } = selector;
    this.#record.put({ type: 'finished', selected, isStuck, notRun, ...(inOtherShards > 0 && { inOtherShards }) }, true);
  }

  /** The assignments of the coordinator to this lane, one after the other. */
  async *#assignments(plan: Plan): AsyncGenerator<PlanPart> {
    const probes = new ProbeBuilder(this.#expansionHost);
    // The record is closed when the coordinator is gone.
    while (!this.#record.isClosed) {
      this.#record.put({ type: 'idle' }, true);
      const assignment = await makePromise<Assignment | undefined>((resolve) => {
        this.#resolveAssignment = resolve;
        this.#send({ from: 'lane', type: 'free' });
      });
      if (!assignment) return;
      const recorded = recordedIn(assignment.after);
      for (const key of assignment.recorded ?? []) recorded.add(key);
      const tests = new Set(assignment.tests.map((index) => plan.tests[index] as PlannedTest));
      const [test] = tests;
      const cases = assignment.probes && test && (await probes.build(test, assignment.probes));
      yield {
        tests,
        isWhole: assignment.isWhole,
        share: assignment.share,
        cases,
        isDone: recorded.size === 0 ? undefined : (planned) => recorded.has(`${planned.test.index}/${planned.ordinal}`),
      };
    }
  }

  /** Waits for locks that are shared with other lanes. Resolves to a function that releases them. */
  async #lock(names: readonly string[]): Promise<() => void> {
    if (this.#record.isClosed) return () => undefined;
    const request = this.#requests++;
    await makePromise<void>((resolve) => {
      this.#locked.set(request, resolve);
      this.#send({ from: 'lane', type: 'lock', request, names });
    });
    this.#locked.delete(request);
    return () => this.#send({ from: 'lane', type: 'unlock', names });
  }

  /** Interrupts what is running. `urgent`: without the grace period. */
  interrupt(urgent: boolean): void {
    this.#running?.interrupt(urgent);
    if (this.#job.mode === 'host') void this.#host.then((host) => host.interrupt(urgent));
  }

  /** Tears down without a coordinator. Nothing is recorded, and running cases have no result. */
  async closeSilently(): Promise<void> {
    if (this.#record.isClosed) return;
    this.#record.close();
    this.interrupt(false);
    this.#runFixtures.lose();
    this.#resolveAssignment(undefined);
    for (const take of this.#locked.values()) take();
    if (this.#job.mode === 'host') await (await this.#host).close();
    else await this.#running?.done;
  }

  #end(): void {
    this.#record.close();
    this.#send({ from: 'lane', type: 'done' });
    this.#channel.end();
  }
}
