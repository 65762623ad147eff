import { cell, dataFile, suite, test } from 'red-lattice';
import { EarlyEnds } from '../../src/node/early-ends.ts';
import { attributeEnd } from '../../src/node/lane-end.ts';
import type { LaneEnd } from '../../src/node/lane-process.ts';
import { createSlot } from '../../src/node/lane-slot.ts';
import type { Activity, JournalEntry } from '../../src/results/journal/entries.ts';
import { applyLaneEntry, computeSilenceLimit, countLostResults, createLaneState } from '../../src/results/lane-state.ts';
import type { CaseName, RecordedResult } from '../../src/results/recorded-result.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';

const name = (ordinal: number): CaseName => ({ test: 2, ordinal, id: `a#b/${ordinal}`, title: `b ${ordinal}`, row: {}, tags: [] });
const started = (ordinal: number): JournalEntry => ({ type: 'started', name: name(ordinal), attempt: 1, start: 5 });
const ended = (ordinal: number): JournalEntry => ({ type: 'ended', result: { ...name(ordinal), ...EMPTY_OUTCOME, status: 'passed', attachments: [] } });
const announce = (kind: Activity['kind'], named: string, limit = 100, invalid?: CaseName): JournalEntry => ({
  type: 'activity',
  activity: { kind, name: named, limit, ...(invalid && { invalid }) },
});
const crashed: LaneEnd = { code: null, signal: 'SIGKILL', overdue: false, stderrTail: '' };
const overdue: LaneEnd = { ...crashed, overdue: true };

const laneAfter = (entries: readonly JournalEntry[]) => {
  const lane = createLaneState();
  for (const entry of entries) applyLaneEntry(lane, entry, 0);
  return lane;
};

/** `started 1`, `ended 1`, or an activity with its name and limit. */
function entryOf(text: string): JournalEntry {
  const [kind = '', named = '', limit] = text.split(' ');
  if (kind === 'started') return started(Number(named));
  if (kind === 'ended') return ended(Number(named));
  if (kind === 'explained') return { type: 'problem', problem: { code: 'load-failed', file: 'a.lattice.ts', cause: 'exit', reason: 'it called exit' } };
  if (kind === 'lost') return { type: 'problem', problem: { code: 'teardown-lost', fixture: 'quay', owner: 'run' } };
  if (kind === 'streaming') return { type: kind, test: 2, limit: 50 };
  if (kind === 'exit-attributed' || kind === 'idle') return { type: kind };
  const invalid = named === 'a#b' ? { ...name(9), id: 'a#b/invalid-rows' } : undefined;
  return announce(kind as Activity['kind'], named, limit === undefined ? undefined : Number(limit), invalid);
}

/** Status, cause and message of a recorded result, in one line. */
const describe = (entry: JournalEntry): string => {
  if (entry.type === 'problem') return `problem ${entry.problem.code}${entry.problem.code === 'load-failed' ? `/${entry.problem.cause}` : ''}`;
  const { id, result } =
    entry.type === 'ended'
      ? { id: entry.result.id, result: entry.result as Pick<RecordedResult, 'status' | 'cause' | 'failures'> }
      : (entry as Extract<JournalEntry, { type: 'teardown-failed' }>);
  return `${id} ${result.status}/${result.cause}: ${result.failures[0]?.message}`;
};

export const attribution = suite('the early end of a lane', [
  test('{what}', {
    cases: dataFile('early-ends.yaml', {
      columns: {
        what: cell.text,
        entries: cell.json,
        end: cell.oneOf('crash', 'overdue'),
        isolatesCases: cell.boolean.optional(),
        recorded: cell.text.optional(),
        rest: cell.json,
      },
    }),
  }, ({ row: { entries: shortened, end, isolatesCases = false, recorded, rest: expected }, check }) => {
    const { entries, ...rest } = attributeEnd(laneAfter((shortened as string[]).map(entryOf)), end === 'crash' ? crashed : overdue, '/p', isolatesCases);
    check.equal(entries.map(describe), recorded === undefined ? [] : [recorded]);
    check.equal<unknown>(rest, expected);
  }),

  test('a lane can be silent as long as the longest limit of what it does at the same time', ({ check }) => {
    const lane = laneAfter([started(1), announce('body', 'a#b/1', 20_000), started(2), announce('body', 'a#b/2', 100)]);
    check.equal(computeSilenceLimit(lane), 20_000);
    applyLaneEntry(lane, ended(1), 0);
    check.equal(computeSilenceLimit(lane), 100);
    applyLaneEntry(lane, announce('body', 'a#b/2', 50), 0);
    check.equal(computeSilenceLimit(lane), 50);
  }),

  test('passes that are read together end the cases that were announced, and no others', ({ check }) => {
    const lane = laneAfter([started(1), started(2), started(3)]);
    const block = { test: 2, passes: 2, milliseconds: 1, longest: 1, unchecked: 0, ordinals: () => Int32Array.of(1, 3), results: () => [] };
    applyLaneEntry(lane, { type: 'passed', block }, 0);
    check.equal(
      [...lane.runningCases.values()].map(({ name: { ordinal } }) => ordinal),
      [2],
    );
    check.equal(lane.results, 2);
  }),

  test('selected cases without a result are lost, unless the run left them out', ({ check }) => {
    const finish = (selected: number, left?: number, stuck = false): number => {
      const notRun = left === undefined ? {} : { notRun: { cases: left, isMore: false } };
      return countLostResults(laneAfter([started(1), ended(1), ended(2), { type: 'finished', selected, isStuck: stuck, ...notRun }]));
    };
    check.equal([finish(2), finish(3), finish(2, 0), finish(5, 3), finish(5, 1), finish(5, 0, true)], [0, 1, 0, 0, 2, 0]);
  }),
]);

type End = 'new case' | 'same case' | 'load' | 'rows' | 'unknown' | 'plan';
const ends: Record<End, (number: number) => readonly JournalEntry[]> = {
  'new case': (number) => [started(number), announce('body', `a#b/${number}`)],
  'same case': () => [started(0), announce('body', 'a#b/0')],
  load: (number) => [announce('load', `/p/${number}.lattice.ts`)],
  rows: () => [announce('rows', 'rows of a#b', 100, name(9))],
  unknown: () => [],
  plan: () => [announce('plan', 'rows')],
};

export const givingUp = test('a run is given up after three early ends in a row without progress: {what}', {
  cases: dataFile('giving-up.yaml', { columns: { what: cell.text, ends: cell.list(cell.text), fruitless: cell.list(cell.boolean), written: cell.integer } }),
}, ({ row, check }) => {
  const written: JournalEntry[] = [];
  const early = new EarlyEnds('/p', (entry) => written.push(entry));
  const slot = createSlot(1);
  const given = row.ends.map((end) => end.replace(' +', '') as End);
  const found = given.map((end, number) => early.attribute(slot, laneAfter(ends[end](number)), crashed, (row.ends[number] as string).endsWith('+')));
  check.equal(
    found.map(({ isFruitless }) => isFruitless),
    [...row.fruitless],
  );
  check.equal(written.length, row.written);
  check.equal(
    found.map(({ isHopeless }) => isHopeless),
    given.map((end) => end === 'plan'),
  );
  check.equal(early.unloadableFiles.length, given.filter((end) => end === 'load').length);
});
