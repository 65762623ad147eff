import { test } from 'red-lattice';
import { Store } from '../../page/src/record/store.ts';
import { reportAsCtrf } from '../../src/formats/ctrf.ts';
import { renderProgress } from '../../src/formats/human/live.ts';
import { renderTimeline } from '../../src/formats/human/timeline.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { encodeEntry, type JournalEntry } from '../../src/results/journal/entries.ts';
import { formatLaneName, type RunInfo } from '../../src/results/run-info.ts';
import { createRunState } from '../../src/results/run-state.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';

const info = { tool: '0.1.0', started: '2026-05-01T08:00:00.000Z', lanes: 2, machines: { 1: 'quay-2' } } as unknown as RunInfo;

const ended = (ordinal: number, start: number): JournalEntry => ({
  type: 'ended',
  result: {
    ...{ test: 0, ordinal, id: `berth/${ordinal}`, title: `berth ${ordinal}`, row: {}, tags: [], status: 'passed', attempts: 1 },
    ...EMPTY_OUTCOME,
    start,
    times: { setup: 1, body: 10, teardown: 2 },
    attachments: [],
  },
});

/** Lane 1 has two processes. The journal of the second one sorts first. */
const entries: readonly JournalEntry[] = [
  { type: 'header', version: 1, lane: 0 },
  { type: 'test', header: { test: 0, id: 'berth', file: 'a.ts', path: ['berth'], columns: [], tags: [], source: undefined } as never },
  { type: 'running', at: 1000 },
  ended(0, 5),
  { type: 'header', version: 1, lane: 1 },
  { type: 'running', at: 4000 },
  ended(1, 5),
  { type: 'header', version: 1, lane: 1 },
  { type: 'running', at: 2000 },
  ended(2, 5),
];

export const starts = test('times of a lane with two processes count from the process of the case', ({ check }) => {
  const report = JSON.parse([...reportAsCtrf({ info, entries: () => entries }, (file) => file)].join('')) as {
    results: { tests: { start: number; duration: number }[] };
  };
  check.equal(
    report.results.tests.map(({ start, duration }) => [start, duration]),
    [
      [1005, 13],
      [4005, 13],
      [2005, 13],
    ],
  );
  const store = new Store();
  store.begin({ name: 'run', info, history: [] } as never);
  store.read(entries.map((entry) => encodeEntry(entry, JSON.stringify)).join(''));
  check.equal(
    store.items.map(({ zero, result }) => zero - store.began + result.start),
    [5, 3005, 1005],
  );
});

export const names = test('a lane on another machine has its name', ({ check }) => {
  check.equal([formatLaneName(0, info.machines), formatLaneName(1, info.machines), formatLaneName(1, undefined)], ['lane 0', 'lane 1 on quay-2', 'lane 1']);
  check.includes(renderTimeline(() => entries, 100, plainStyle, info.machines).join('\n'), 'lane 1 on quay-2');
  const activity = { kind: 'body', name: 'berth/1', limit: 1000 } as const;
  const progress = (lanes: Parameters<typeof renderProgress>[0]['lanes']): string =>
    renderProgress({ state: createRunState(), lanes, elapsed: 10, expected: undefined }, 80, plainStyle).join('\n');
  const lanes = [
    { number: 0, activity, since: 0 },
    { number: 1, machine: 'quay-2', activity, since: 0 },
  ];
  check.includes(progress(lanes), '  lane 0          berth/1\n  lane 1  quay-2  berth/1');
  check.includes(progress([]), 'waiting for machines to join the pool');
});
