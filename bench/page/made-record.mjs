// Creates a run record of a given size: tests with rows of an office's stays, some of which fail.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Writes a record with a number of cases and tests into a new folder. Every `failsEvery`-th case fails; none if that is 0. */
export function makeRecord(folder, { cases, tests = Math.max(1, Math.round(cases / 500)), failsEvery = 50 }) {
  mkdirSync(folder, { recursive: true });
  const hulls = ['mono', 'cat', 'tri'];
  const lines = [JSON.stringify({ type: 'header', version: 6, lane: 0 }), JSON.stringify({ type: 'running', at: Date.UTC(2031, 3, 1) })];
  lines.push(JSON.stringify({ type: 'planned', files: Math.ceil(tests / 10), tests, problems: [], warnings: [], hash: 'made' }));
  const columns = ['berth', 'loa', 'hull', 'nights'];
  let failed = 0;
  let start = 0;
  for (let test = 0; test < tests; test++) {
    const file = `tests/area-${Math.floor(test / 10)}.lattice.ts`;
    const path = [`berths of area ${Math.floor(test / 10)}`, `stays at quay ${test}`];
    const id = `${file}#berths-of-area-${Math.floor(test / 10)}/stays-at-quay-${test}`;
    const tags = test % 3 ? [] : ['money'];
    lines.push(JSON.stringify({ type: 'test', header: { test, id, file, path, source: 'a table', tags, columns } }));
    const own = Math.floor(((test + 1) * cases) / tests) - Math.floor((test * cases) / tests);
    for (let ordinal = 0; ordinal < own; ordinal++) {
      const row = { berth: `N${ordinal}`, loa: 6 + (ordinal % 12), hull: hulls[ordinal % 3], nights: 1 + (ordinal % 7) };
      const time = 200 + ((ordinal * 7919) % 900);
      start += time + 50;
      if (failsEvery > 0 && ordinal % failsEvery === 7) {
        failed++;
        const slug = Object.entries(row).map(([column, value]) => `${column}=${value}`);
        const failure = {
          cause: 'check',
          message: `off by ${ordinal}`,
          note: 'dues for the stay',
          actual: '72',
          expected: '43',
          place: { file: `file:///office/tests/area.lattice.ts`, line: 12, column: 5 },
        };
        const result = {
          test,
          ordinal,
          id: `${id}/${slug.join()}`,
          title: [...path, slug.join(', ')].join(' › '),
          row,
          tags,
          status: 'failed',
          cause: 'check',
          attempts: 1,
          start: start / 1000,
          times: { setup: 0.05, body: time / 1000, teardown: 0 },
          checks: { passed: 0, failed: 1 },
          failures: [failure],
          steps: [],
          output: [],
          attachments: [],
        };
        lines.push(JSON.stringify({ type: 'ended', result }));
      } else lines.push(`+${test} ${ordinal} 1 ${start} 50 ${time} 0 1 0\t${JSON.stringify(Object.values(row))}`);
    }
    lines.push(JSON.stringify({ type: 'test-ended', test }));
  }
  writeFileSync(join(folder, 'lane-0.journal'), `${lines.join('\n')}\n`);
  const counts = { passed: cases - failed, failed, errored: 0, skipped: 0, 'not-requested': 0, 'known-failure': 0, 'not-run': 0 };
  const info = {
    kind: 'red-lattice run record',
    version: 6,
    tool: '0.1.0',
    node: 'v20.20.2',
    platform: 'linux x64',
    command: ['run'],
    seed: 7,
    started: '2031-04-01T00:00:00.000Z',
    lanes: 1,
    root: '/office',
    plan: 'made',
    milliseconds: start / 1000,
    exitStatus: failed ? 1 : 0,
    counts,
    times: {},
  };
  writeFileSync(join(folder, 'run.json'), JSON.stringify(info, null, 1));
}
