// Plants faults in copies of the runner, one in each: the trusted base, or the model of lifetimes, must fail on every one. Each lie is
// judged first by the project that saw it last (lies-seen.json).
// usage: lies.mjs [--keep] [part of a name]   (--keep: write that file)
import { execFile } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { bundle } from '../../scripts/bundle.mjs';
import { replaceAtPlace } from './find-place.mjs';
import { hostile } from './hostile/projects.mjs';
import { outcomes } from './outcomes.mjs';

const run = promisify(execFile);
const root = fileURLToPath(new URL('../..', import.meta.url));
// Node would read additional certificates at each start.
delete process.env.NODE_EXTRA_CA_CERTS;
const workshop = join(root, '.red-lattice', 'lies');

/** Each has a name, a file under src/, the code that is replaced (found by its shape: see find-place.mjs), and its replacement. */
const lies = [
  ['the exit status is always 0', 'command/run-once.ts', '  return { status, state, record };', '  return { status: 0, state, record };'],
  ['an empty selection passes', 'results/run-state.ts', '=== 0) ? 3 : 0', '=== 0) ? 0 : 0'],
  [
    'a failed shared teardown does not show in the exit status',
    'results/run-state.ts',
    'state.counts.errored + state.tornDown.length + state.runProblems',
    'state.counts.errored + state.runProblems',
  ],
  [
    'failures do not show in the exit status',
    'results/run-state.ts',
    'state.counts.failed + state.counts.errored + state.tornDown.length + state.runProblems.length > 0',
    'state.tornDown.length + state.runProblems.length > 0',
  ],
  [
    'files that do not load are forgotten',
    'results/run-state.ts',
    'state.planProblems.length > 0 || state.loadFailures.length > 0',
    'state.planProblems.length > 0',
  ],
  [
    'every second result is dropped',
    'results/run-state.ts',
    '  const { status, checks } = result;\n',
    '  const { status, checks } = result;\n  if (result.ordinal % 2 === 1) return;\n',
  ],
  ['one of many passes is lost', 'results/run-state.ts', '  state.counts.passed += passes;\n', '  state.counts.passed += passes - 1;\n'],
  [
    'every second result is not recorded',
    'node/lane/run-recorder.ts',
    '    this.#record.ended(planned, result);\n  }\n',
    '    if (planned.ordinal % 2 === 0) this.#record.ended(planned, result);\n  }\n',
  ],
  [
    'a result is recorded twice',
    'node/lane/journal-writer.ts',
    'this.#waiting.put(entry);',
    "this.#waiting.put(entry); if (entry.type === 'ended') this.#waiting.put(entry);",
  ],
  ['failed counts as passed', 'running/verdict.ts', "return { status: 'failed', cause: own.cause };", "return { status: 'passed' };"],
  ['errored counts as passed', 'running/verdict.ts', "return { status: 'errored', cause: error.cause };", "return { status: 'passed' };"],
  ['accept writes without confirmation', 'command/accept.ts', 'count > 0 && (options.yes === true ||', 'count > 0 && (true ||'],
  [
    'accept writes into files that changed since the run',
    'command/accept.ts',
    'if (changed.length === 0) return undefined;',
    'if (changed.length >= 0) return undefined;',
  ],
  ['a conflict of accepted values is settled by the first', 'accepting/collect.ts', 'changes: all.filter(({ conflict }) => !conflict),', 'changes: all,'],
  [
    'the first cause that narrow finds is left out',
    'results/narrowing/narrow-test.ts',
    'causes: this.#found.map((cause)',
    'causes: this.#found.slice(1).map((cause)',
  ],
  [
    'a test that nobody exports is forgotten',
    'suites/unreachable.ts',
    'if (!at || !files.has(at.file)) return [];',
    'if (at || !files.has(String(at))) return [];',
  ],
  ['a strict run passes with warnings', 'command/run-once.ts', 'earned || (strict > 0 ? 1 : 0)', 'earned'],
  ['a problem of one test removes its whole file', 'suites/plan.ts', 'this.#ownProblems = outer;', 'this.#ownProblems += outer;'],
  ['an interrupted run does not wait for a body', 'running/deadlines.ts', "else turnTo(inGrace('interrupted'));", "else giveUp('interrupted');"],
  ['nothing is torn down when the command is killed', 'node/lane/lane.ts', 'else await this.#running?.done;', ''],
  [
    'a malformed journal is accepted',
    'results/journal/reader.ts',
    'const refused = read && findEntryFault(read);',
    'const refused = undefined as string | undefined;',
  ],
  [
    'missing awaits are ignored',
    'running/attempt.ts',
    `return awaitBody(given, run, limit, around, begun);
    restoreBuiltIns();
    run.returned();`,
    `return awaitBody(given, run, limit, around, begun);
    restoreBuiltIns();`,
  ],
  ['a promise is a truthy value', 'checks/comparisons.ts', 'condition ? findPromise(condition) : {', 'condition ? undefined : {'],
  [
    'a lane does not wait for late failures',
    'node/lane/lane.ts',
    'if (!isStuck && !this.#signal.aborted) await',
    'if (isStuck && !this.#signal.aborted) await',
  ],
  [
    'a known failure may pass',
    'running/verdict.ts',
    "{ status: 'failed', cause: 'unexpected-pass', reason: known }",
    "{ status: 'known-failure', reason: known }",
  ],
  ['an expired skip is a skip', 'cases/annotations.ts', 'skip: skip && !skipPast ?', 'skip: skip ?'],
  [
    'every value equals every other',
    'checks/comparisons.ts',
    "isEqual(actual, expected) ? undefined : both('not equal'",
    "isEqual(expected, expected) ? undefined : both('not equal'",
  ],
  ['failed checks are not counted', 'running/case-attempt.ts', '      this.#failCheck(finding, note, origin, step);\n', ''],
  [
    'a failing step is forgotten',
    'checks/checks.ts',
    'if (!this.#recorder.recordResult(finding, note, finding && captureStack(method, MAX_FRAMES))) this.#recorder.stop();',
    'if (finding) this.#recorder.stop();',
  ],
  [
    'errors of a body are ignored',
    'running/case-attempt.ts',
    '    else this.fail(this.#failureOf(error, cause, this.#step, fixture));',
    `    else if (cause !== 'throw') this.fail(this.#failureOf(error, cause, this.#step, fixture));`,
  ],
  [
    'late rejections are ignored',
    'running/result-dispatcher.ts',
    `if (!run.ended) {
      run.recordThrow(error);`,
    `    if (run.ended) return;
    if (!run.ended) {
      run.recordThrow(error);`,
  ],
  [
    'late checks are not reported',
    'running/case-attempt.ts',
    '    if (this.ended) {\n      const at',
    '    if (this.ended) return true;\n    if (this.ended) {\n      const at',
  ],
  [
    'teardown errors are ignored',
    'fixtures/instance.ts',
    'const failed = (error: unknown): void => void errors.push({ fixture: name, error });',
    'const failed = (error: unknown): void => void [name, error];',
  ],
  [
    'teardown goes in the order of setup',
    'fixtures/scope-instance.ts',
    'for (let instance = this.#begun.pop(); instance; instance = this.#begun.pop())',
    'for (let instance = this.#begun.shift(); instance; instance = this.#begun.shift())',
  ],
  ['shared teardowns are left out', 'running/run.ts', '    if (holder.isEmpty) return;\n', `    if (holder.scope !== 'case') return;\n`],
  [
    'failed setups are ignored',
    'running/attempt.ts',
    "run.recordThrow(error, 'setup');",
    `    ready = true;
`,
  ],
  ['rows are skipped', 'suites/expand.ts', 'if (!share || isInPartition(rows, share))', 'if (rows !== 2 && (!share || isInPartition(rows, share)))'],
  [
    'invalid rows count as valid',
    'running/case-runner.ts',
    "if (problems) return this.#finishWithoutRunning(planned, { status: 'errored', cause: 'data' }",
    "if (problems) return this.#finishWithoutRunning(planned, { status: 'passed' }",
  ],
  [
    'ids are mixed up',
    'suites/planned.ts',
    'return formatCaseId(test.id, formatIdPart(test, this.redactedEntry), this.duplicateIndex);',
    'return formatCaseId(test.id, formatIdPart(test, this.redactedEntry)?.slice(0, 3), this.duplicateIndex);',
  ],
  ['lanes do not wait for each other', 'node/locks.ts', 'const isFree = wish.names.every(', 'const isFree = true || wish.names.every('],
  ['a partition of the rows is left out', 'cases/partition.ts', '% of === index;', '% (of + 1) === index;'],
  ['equal rows go to several lanes', 'cases/data/key-partitioner.ts', 'return this.#key(text, from, to) %', 'return from %'],
  ['a partition of the records is left out', 'cases/data/key-partitioner.ts', '% this.#share.of ===', '% (this.#share.of + 1) ==='],
  ['duplicates of rising rows are not numbered', 'cases/duplicate-counter.ts', '      await this.#remember();\n', ''],
  ['a compact pass is lost', 'running/result-dispatcher.ts', 'this.#listener.passed(run, run.begun - this.#started);', 'run.begun;'],
  ['plan errors are ignored', 'suites/plan.ts', 'problems: planner.problems,', 'problems: [],'],
  ['the selection is ignored', 'suites/selection.ts', 'conditions.push((planned) => places.some((stands) => stands(planned)));', ';'],
  ['a body may exceed its time limit', 'running/attempt.ts', `  run.fail({\n    cause: 'timeout',`, `  if (run.ended) run.fail({\n    cause: 'timeout',`],
  [
    'a case that ended its process is left out',
    'node/lane-end.ts',
    "if (isAlone) return { entries: [{ type: 'ended', result: buildEndResult([...runningCases.values()][0] as RunningCase, lane, end) }], isSure: true };",
    'if (isAlone) return { entries: [], isSure: true };',
  ],
  [
    'nothing runs after a crash',
    'node/coordinator.ts',
    '    const keepsCrashing = !this.#stopped',
    '    if (isProgress) return false;\n    const keepsCrashing = !this.#stopped',
  ],
  ['process.exit is not reported', 'node/lane/process-guard.ts', 'for (const run of this.#attributeExit()) {', '    for (const run of [] as CaseRun[]) {'],
  [
    'the last line counts no failures',
    'formats/summary-line.ts',
    '`${counts.passed} passed, ${counts.failed + counts.errored} failed',
    '`${counts.passed} passed, ${counts.failed * 0} failed',
  ],
  ['failures are not printed', 'command/run-once.ts', 'renderFailures(state, where, formatting), more', 'more'],
  ['comments shift line numbers', 'cases/data/csv.ts', '      this.#line += lines;\n', '      if (!skipped) this.#line += lines;\n'],
  ['stacks have the lines of the compiled code', 'node/loading/stacks.ts', 'const file = maps.get(url);', 'const file = maps.get(`${url}?`);'],
  [
    'a stopped run counts as complete',
    'command/run-once.ts',
    '  const state = await running.done;\n',
    '  const state = { ...(await running.done), notRun: undefined };\n',
  ],
  [
    'plan runs the tests',
    'node/lane/lane.ts',
    "if (mode === 'plan') await listCases(plan, selection, this.#surroundings, (entry) => this.#record.put(entry));",
    "if (mode === 'plan') { await this.#run(plan); await listCases(plan, selection, this.#surroundings, (entry) => this.#record.put(entry)); }",
  ],
];

/** Lies about lifetimes: the model of generated projects must find each. */
const lifetimeLies = [
  ['instances are not shared', 'fixtures/scope-instance.ts', 'const known = this.#instances.get(node);', 'const known = this.#instances.get({} as Node);'],
  ['settings do not distinguish instances', 'fixtures/graph.ts', '${implementation}|${settingsKey(settings)}|', '${implementation}||'],
  ['needs do not distinguish instances', 'fixtures/graph.ts', '${needs.map(({ edge }) => edge.node.id).join()}|', '|'],
  [
    'the outer override wins',
    'fixtures/graph.ts',
    'for (let outerLayerCount = visibleLayers - 1; outerLayerCount >= 0; outerLayerCount--) {',
    'for (let outerLayerCount = 0; outerLayerCount < visibleLayers; outerLayerCount++) {',
  ],
  [
    'a replacement keeps the settings outside of it',
    'fixtures/graph.ts',
    "if (layer.override.change.kind !== 'set') return { sets, replacement: layer, outerLayerCount };",
    "if (layer.override.change.kind !== 'set') { for (let i = outerLayerCount - 1; i >= 0; i--) if (this.#layers[i]?.override.fixture.definition === definition) sets.unshift(this.#layers[i] as OverrideLayer); return { sets, replacement: layer, outerLayerCount }; }",
  ],
  [
    'dependents of a replaced fixture keep the old one',
    'fixtures/graph.ts',
    'const needs = wrapper ? [] : this.needs(definition.needs, path);',
    'const needs = wrapper ? [] : new Resolution([], this.#nodes).needs(definition.needs, path);',
  ],
  [
    'short scopes are set up first',
    'running/scopes.ts',
    '(depths.get(a) as number) - (depths.get(b) as number)',
    '(depths.get(b) as number) - (depths.get(a) as number)',
  ],
  [
    'a failed setup leaves its cleanup undone',
    'fixtures/instance.ts',
    'for (const cleanUp of this.#deferred?.reverse() ?? [])',
    'for (const cleanUp of (wasReady ? this.#deferred?.reverse() : undefined) ?? [])',
  ],
  [
    'a failed shared setup is tried again',
    'fixtures/scope-instance.ts',
    `    instance.state = 'failed';\n`,
    `    instance.state = 'failed';\n    this.#instances.delete(instance.node);\n`,
  ],
  [
    'a failing teardown stops the others',
    'fixtures/scope-instance.ts',
    `report();
    }
    return errors;`,
    `      report();
      if (errors.length > 0) return errors;
    }
    return errors;`,
  ],
  ['a test ends before its cases do', 'running/run.ts', 'while (pendingCases.size > 0) await Promise.all(pendingCases);', ''],
  ['suites do not keep the fixtures of `always`', 'running/scopes.ts', 'group.ownedDefinitions.has(node.definition) ||', ''],
  ['a lazy fixture is set up at once', 'fixtures/graph.ts', 'if (onDemand || order.has(node)) return;', 'if (order.has(node)) return;'],
];

const part = process.argv.slice(2).find((argument) => !argument.startsWith('--'));
const seenPath = join(root, 'tests', 'root', 'lies-seen.json');
const seenBefore = JSON.parse(readFileSync(seenPath, 'utf8'));
const seenNow = { ...seenBefore };
const all = [...lies.map((lie) => [...lie, 'base']), ...lifetimeLies.map((lie) => [...lie, 'model'])];
const chosen = all.filter(([name]) => !part || name.includes(part));
const stale = chosen.flatMap(([name, file, truth, lie]) => {
  try {
    replaceAtPlace(readFileSync(join(root, 'src', file), 'utf8'), truth, lie);
    return [];
  } catch (error) {
    return [`the lie "${name}", in src/${file}: ${error.message}:\n${truth}\n`];
  }
});
for (const message of stale) console.error(message);
if (stale.length > 0) process.exit(1);
rmSync(workshop, { recursive: true, force: true });
const queue = [...chosen.entries()];
const unseen = [];
/** The names of the small projects, the longest first. */
const names = [...outcomes, ...hostile].map(({ name }) => name).sort((a, b) => b.length - a.length);

async function plant([number, [name, file, truth, lie, judge]]) {
  const folder = join(workshop, String(number));
  const path = join(root, 'src', file);
  mkdirSync(folder, { recursive: true });
  cpSync(join(root, 'package.json'), join(folder, 'package.json'));
  const text = replaceAtPlace(readFileSync(path, 'utf8'), truth, lie);
  await bundle(join(root, 'src'), join(folder, 'dist'), { isBare: true, change: { file: path, text } });
  const judging =
    judge === 'base'
      ? run(process.execPath, [join(root, 'tests', 'root', 'run.mjs'), '--stop', ...(seenBefore[name] ? [`--first=${seenBefore[name]}`] : [])], {
          env: { ...process.env, RED_LATTICE_PACKAGE: folder },
          maxBuffer: 1 << 26,
        })
      : run(process.execPath, [join(root, 'tests', 'root', 'lifetimes.mjs'), folder, folder], { maxBuffer: 1 << 26 });
  const seen = await judging.then(
    () => undefined,
    (error) =>
      String(error.stdout)
        .split('\n')
        .find((line) => line.startsWith('✗')) ?? `the judge itself broke: ${error.stderr}`,
  );
  rmSync(folder, { recursive: true, force: true });
  if (seen?.startsWith('✗')) {
    // Names can contain colons.
    const project = names.find((known) => seen.startsWith(`✗ ${known}: `)) ?? seen.slice(2).split(': ')[0];
    if (judge === 'base') seenNow[name] = project;
    console.log(`seen    ${name}  (${project})`);
  } else {
    unseen.push(name);
    console.log(`UNSEEN  ${name}${seen ? `: ${seen}` : ''}`);
  }
}

const worker = async () => {
  for (let next = queue.shift(); next; next = queue.shift()) await plant(next);
};
// Many projects wait for processes.
await Promise.all(Array.from({ length: availableParallelism() * 2 }, worker));
rmSync(workshop, { recursive: true, force: true });
if (process.argv.includes('--keep')) writeFileSync(seenPath, `${JSON.stringify(seenNow, null, 2)}\n`);
console.log(`\n${chosen.length - unseen.length} of ${chosen.length} planted lies are seen`);
if (unseen.length > 0) process.exitCode = 1;
