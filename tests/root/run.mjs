// The trusted base: runs every small project and compares its results with the expected ones.
// usage: run.mjs [--stop] [--times] [--first=name] [--only=name…] [part of a name, or /pattern/]
//   --stop: end at the first difference. --only: these, in this order.
import assert from 'node:assert/strict';
import { existsSync, readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { hostile } from './hostile/projects.mjs';
import { outcomes } from './outcomes.mjs';
import { makeProject, removeProject, runCommand, written } from './project.mjs';

const stopAtFirst = process.argv.includes('--stop');
const part = process.argv.slice(2).find((argument) => !argument.startsWith('--'));
const all = [...outcomes, ...hostile];
const only = process.argv.filter((argument) => argument.startsWith('--only=')).map((argument) => argument.slice('--only='.length));
const queue =
  only.length > 0
    ? only.flatMap((name) => all.filter((outcome) => outcome.name === name))
    : all.filter(({ name }) => !part || (/^\/.*\/$/.test(part) ? new RegExp(part.slice(1, -1), 'i').test(name) : name.includes(part)));
/** Projects that wait for seconds come first, so that the others fill the time. */
const isSlow = ({ name, signals, within }) => signals !== undefined || within !== undefined || /nextTick|_events|Object\.prototype\.toJSON/.test(name);
if (!stopAtFirst) queue.sort((a, b) => Number(isSlow(b)) - Number(isSlow(a)));
/** Most projects wait longer than they compute. */
const workers = availableParallelism() + 1;
const differences = [];
let passed = 0;

/** Returns the difference between a run and its expected results, or undefined if they agree. */
async function differenceOf(outcome) {
  const folder = makeProject(outcome.files);
  const began = Date.now();
  try {
    const seen = await runCommand(folder, outcome.args, { node: outcome.node, signals: outcome.signals, closesAt: outcome.closesAt });
    // Processes can outlive the command.
    for (let tries = 0; outcome.afterwards !== undefined && written(folder) !== outcome.afterwards && tries < 150; tries++)
      await new Promise((next) => setTimeout(next, 100));
    if (outcome.afterwards !== undefined) assert.equal(written(folder), outcome.afterwards, 'what is written when the command has ended');
    const took = Date.now() - began;
    if (outcome.within) assert.ok(took < outcome.within, `it took ${took} ms`);
    if (outcome.isQuietAfterwards) {
      const before = written(folder);
      await new Promise((next) => setTimeout(next, 400));
      assert.equal(written(folder), before, 'nothing is written when the command has ended');
    }
    assert.equal(seen.signal ?? seen.status, outcome.status, `exit status\n${seen.out}${seen.error}`);
    if (outcome.last !== undefined) assert.equal(seen.last, outcome.last, 'last line');
    if (outcome.results) {
      const results = seen.results.map(({ title, status, cause }) => [title, cause ? `${status}/${cause}` : status]);
      // A blank at the end distinguishes cases with the same title.
      const sorted = (rows) => rows.map(([title, outcome]) => `${title.trim()}: ${outcome}`).sort();
      assert.deepEqual(sorted(results), sorted(Object.entries(outcome.results)), 'results on record');
      assert.equal(new Set(seen.results.map(({ id }) => id)).size, seen.results.length, 'ids on record differ from each other');
      assert.equal(seen.info.exitStatus, outcome.status, 'exit status on record');
      const counted = seen.results.filter(({ status }) => status === 'passed').length;
      assert.equal(seen.info.counts.passed, counted, 'passed, counted in the record');
    }
    for (const [title, attempts] of Object.entries(outcome.attempts ?? {}))
      assert.equal(seen.results.find((result) => result.title === title)?.attempts, attempts, `attempts of ${title}`);
    const places = (outcome.order ?? []).map((text) => seen.out.indexOf(text));
    assert.ok(
      places.every((at, i) => at > (places[i - 1] ?? -1)),
      `not in order: ${outcome.order}\n${seen.out}`,
    );
    for (const text of outcome.says ?? []) assert.ok(seen.out.includes(text), `the report does not say: ${text}\n${seen.out}`);
    for (const text of outcome.omits ?? []) assert.ok(!seen.out.includes(text), `the report says: ${text}\n${seen.out}`);
    if (outcome.lines) assert.ok(seen.out.split('\n').length < outcome.lines, `${seen.out.split('\n').length} lines are printed`);
    if (outcome.error === undefined && outcome.status <= 1) assert.equal(seen.error, '', 'standard error');
    for (const text of outcome.parts ?? []) assert.ok(written(folder).includes(text), `order.txt does not contain: ${text}\n${written(folder)}`);
    for (const text of outcome.error ?? []) assert.ok(seen.error.includes(text), `standard error does not say: ${text}\n${seen.error}`);
    for (const { args, status, says = [], error = [] } of outcome.then ?? []) {
      const after = await runCommand(folder, args);
      assert.equal(after.status, status, `exit status of ${args.join(' ')}\n${after.out}${after.error}`);
      for (const text of says) assert.ok(after.out.includes(text), `${args.join(' ')} does not say: ${text}\n${after.out}`);
      for (const text of error) assert.ok(after.error.includes(text), `${args.join(' ')} does not say: ${text}\n${after.error}`);
    }
    for (const [name, text] of Object.entries(outcome.wrote ?? {})) assert.equal(readFileSync(join(folder, name), 'utf8'), text, name);
    if (outcome.ids) assert.equal(new Set(seen.results.map(({ id }) => id)).size, outcome.ids, 'different ids on record');
    if (outcome.absent) assert.ok(!existsSync(join(folder, outcome.absent)), `there is a file ${outcome.absent}`);
    return undefined;
  } catch (error) {
    return error;
  } finally {
    if (process.argv.includes('--times')) console.log(`${Date.now() - began} ms  ${outcome.name}`);
    removeProject(folder);
  }
}

async function worker() {
  for (let outcome = queue.shift(); outcome; outcome = queue.shift()) {
    const difference = await differenceOf(outcome);
    if (!difference) passed++;
    else {
      differences.push(outcome.name);
      console.log(`✗ ${outcome.name}: ${difference.message}\n`);
      if (stopAtFirst) queue.length = 0;
    }
  }
}

/** Runs before the others. With `--stop`, they do not run if it differs. */
const first = process.argv.find((argument) => argument.startsWith('--first='))?.slice('--first='.length);
const others = queue.filter(({ name }) => name !== first);
const alone = queue.filter(({ name }) => name === first);
for (const group of [alone, others]) {
  if (stopAtFirst && differences.length > 0) break;
  queue.splice(0, queue.length, ...group);
  await Promise.all(Array.from({ length: workers }, worker));
}
console.log(`base: ${passed} of ${passed + differences.length} projects have the expected results`);
if (differences.length > 0) process.exitCode = 1;
