import { createRandom, type Random } from '../../src/cases/random.ts';
import type { OpenedRecord } from '../../src/node/recorded.ts';
import type { Problem } from '../../src/problems/problem.ts';
import type { SourceLocation } from '../../src/problems/source-location.ts';
import { JOURNAL_VERSION, type JournalEntry } from '../../src/results/journal/entries.ts';
import type { Leak } from '../../src/results/leaks.ts';
import type { RecordedResult, TestHeader } from '../../src/results/recorded-result.ts';
import { buildRunState } from '../../src/results/run-state.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { Cause, Failure, Status, StepResult } from '../../src/running/result.ts';

type Row = Record<string, unknown>;

const files = ['dues.lattice.ts', 'stays/nights.lattice.ts', 'tides.lattice.ts'];
const suites = [[], ['harbour office'], ['harbour office', 'north quay'], ['harbour office', 'south quay'], ['tides']];
const titles = ['{hull} of {loa} m', 'is berthed', 'a stay', 'leaves | early', 'pays `dues` & tax'];
const statuses: readonly Status[] = ['passed', 'passed', 'passed', 'failed', 'failed', 'errored', 'skipped', 'not-requested', 'known-failure'];
const values: Readonly<Record<string, (random: Random) => unknown>> = {
  hull: (random) => random.pick(['mono', 'cat', 'tri']),
  loa: (random) => random.integer(6, 9),
  season: (random) => random.pick(['summer', 'winter']),
  note: (random) => random.pick(['', 'at noon', 'a note that is too long for one line of a narrow terminal, whatever it says', 'two\nlines']),
  stay: (random) => ({ nights: random.integer(1, 3), paid: random.pick([true, false]) }),
  from: (random) => (random.integer(0, 1) ? `2031-0${random.integer(1, 9)}-10` : null),
};
const messages = ['not equal', 'due: differs from the row', 'does not hold', 'threw RangeError: no tide', 'the body exceeded its time limit of 50 ms'];
const shown = [
  '12',
  '12.5',
  '"north quay"',
  '"south quay"',
  '"berth N4\\nat noon"',
  '{\n  berth: "N4",\n  nights: 2,\n}',
  '{\n  berth: "N5",\n  nights: 2,\n}',
];

const perhaps = <T>(random: Random, make: () => T): T | undefined => (random.integer(0, 2) === 0 ? make() : undefined);
const placeIn = (random: Random, file: string) => ({ file, line: random.integer(2, 90), column: random.integer(1, 20) });
/** Removes undefined properties. */
const compact = <T extends object>(value: T): T => Object.fromEntries(Object.entries(value).filter(([, one]) => one !== undefined)) as T;

function drawFailure(random: Random, cause: Cause, file: string): Failure {
  const isCompared = cause === 'check' && random.integer(0, 2) > 0;
  return compact<Failure>({
    cause,
    message: random.pick(messages),
    note: perhaps(random, () => random.pick(['the price', 'in two\nlines'])),
    ...(isCompared && { actual: random.pick(shown), expected: random.pick(shown) }),
    expectedKind: isCompared ? random.pick([undefined, undefined, 'pattern', 'part']) : undefined,
    location: random.integer(0, 4) ? placeIn(random, file) : undefined,
    frames: perhaps(random, () => [
      { ...placeIn(random, 'tariff.ts'), functionName: undefined },
      { ...placeIn(random, file), functionName: 'quote' },
    ]),
    step: perhaps(random, () => ['moors', 'at the quay'].slice(0, random.integer(1, 2))),
    causes: perhaps(random, () => ['Error: closed', 'threw "late", which is not an Error'].slice(0, random.integer(1, 2))),
    fixture: cause === 'setup' || cause === 'teardown' ? 'quay' : undefined,
    columns: isCompared
      ? perhaps(random, () => [
          { column: 'due', heading: 'Due', text: '15' },
          { column: 'tax', reason: 'no text' },
        ])
      : undefined,
  });
}

const causesOf = (random: Random, status: Status): Cause =>
  status === 'failed'
    ? random.pick<Cause>(['check', 'check', 'throw', 'timeout', 'unexpected-pass'])
    : random.pick<Cause>(['setup', 'data', 'crash', 'leak', 'teardown']);

function drawResult(random: Random, header: TestHeader, ordinal: number, row: Row): RecordedResult {
  const status =
    random.integer(0, 2) === 0 || header.columns.length === 0 ? random.pick(statuses) : row['hull'] === 'cat' && row['loa'] === 8 ? 'failed' : 'passed';
  const isBad = status === 'failed' || status === 'errored';
  const cause = isBad ? causesOf(random, status) : undefined;
  const text = Object.entries(row)
    .map(([column, value]) => `${column}=${String(value)}`)
    .join(',');
  const ran = status !== 'skipped' && status !== 'not-requested';
  return compact<RecordedResult>({
    ...EMPTY_OUTCOME,
    ...{
      test: header.test,
      ordinal,
      id: `${header.id}/${text || ordinal}`,
      title: [...header.path.slice(0, -1), text || header.path.at(-1)].join(' › '),
      row,
      status,
    },
    tags: header.tags as string[],
    cause,
    reason: ran && status !== 'known-failure' ? undefined : random.pick(['the crane is away', 'until 2031-05-01: `rounding`', 'a | b']),
    attempts: ran ? random.pick([1, 1, 1, 2]) : 0,
    start: random.integer(0, 900),
    times: ran ? { setup: random.integer(0, 40) / 4, body: random.integer(1, 2400) / 4, teardown: random.integer(0, 4) } : { setup: 0, body: 0, teardown: 0 },
    checks: { passed: ran ? random.integer(0, 3) : 0, failed: isBad ? 1 : 0 },
    failures: cause ? Array.from({ length: random.pick([1, 1, 1, 2]) }, () => drawFailure(random, cause, header.file)) : [],
    steps: (perhaps(random, () => [
      { title: 'moors', depth: 0, status: 'passed', milliseconds: 1.5 },
      { title: 'at the quay', depth: 1, status: isBad ? random.pick(['failed', 'unfinished']) : 'passed', milliseconds: 0.5 },
    ]) ?? []) as readonly StepResult[],
    output: perhaps(random, () => ['moored\n', 'at \u001b[31mnoon']) ?? [],
    attachments: perhaps(random, () => [{ name: 'log.txt', file: '0-0-log.txt' }]) ?? [],
    location: perhaps(random, () => placeIn(random, 'dues.csv')),
  });
}

const leak = (kind: string, location?: SourceLocation): Leak => ({ kind, after: undefined, ...(location && { location }) });

const problems: readonly Problem[] = [
  { code: 'unclosed-placeholder', title: '{hull', at: { file: 'dues.lattice.ts', line: 3, column: 4 } },
  { code: 'invalid-date', text: 'soon', owner: 'test "a stay"' },
  { code: 'exported-twice', title: 'dues', names: ['dues', 'more'] },
];

/** Generates the entries of a record with outcomes of all kinds. Another `change` gives the same tests other outcomes. */
function* drawEntries(seed: string, change: number): Generator<JournalEntry> {
  const [plan, outcome] = [createRandom(`plan ${seed}`), createRandom(`outcome ${seed} ${change}`)];
  const lanes = plan.integer(1, 2);
  const used = new Set<string>();
  const headers = Array.from({ length: plan.integer(2, 6) }, (_, test): TestHeader => {
    const file = plan.pick(files);
    const path = [...plan.pick(suites), plan.pick(titles)];
    const id = `${file}#${path.join('/').replaceAll(/[^\w/]+/g, '-')}${used.has(path.join()) ? `~${test}` : ''}`;
    used.add(path.join());
    const columns = plan.integer(0, 3) ? plan.shuffle(Object.keys(values)).slice(0, plan.integer(1, 4)) : [];
    if (columns.length > 1 && plan.integer(0, 1)) columns.splice(0, 2, 'hull', 'loa');
    return compact<TestHeader>({
      ...{ test, id, file, path, tags: plan.pick([[], ['money'], ['money', 'slow']]), columns: [...new Set(columns)] },
      source: columns.length > 0 ? 'a matrix' : undefined,
      location: plan.integer(0, 5) ? placeIn(plan, file) : undefined,
    });
  });
  yield { type: 'header', version: JOURNAL_VERSION, lane: 0 };
  yield { type: 'planned', files: 3, tests: headers.length, problems: outcome.integer(0, 3) ? [] : [problems[0] as Problem], warnings: [], hash: seed };
  yield { type: 'running', at: 1000 };
  for (const header of headers) yield { type: 'test', header };
  for (const [number, header] of headers.entries()) {
    if (number === 1 && lanes > 1) yield { type: 'header', version: JOURNAL_VERSION, lane: 1 };
    if (number === 1 && lanes > 1) yield { type: 'running', at: 1010 };
    const rows = new Map<string, Row>();
    for (let i = header.columns.length === 0 ? 1 : plan.integer(1, 14); i > 0; i--) {
      const row = Object.fromEntries(header.columns.map((column) => [column, (values[column] as (random: Random) => unknown)(plan)]));
      rows.set(JSON.stringify(row), row);
    }
    for (const [ordinal, row] of [...rows.values()].entries())
      if (outcome.integer(0, 20)) yield { type: 'ended', result: drawResult(outcome, header, ordinal, row) };
    if (outcome.integer(0, 4) === 0) {
      const [fixture, owner] = ['quay', header.file];
      yield { type: 'span', span: { kind: 'setup', fixture, owner, scope: 'file', start: 5, milliseconds: 20 } };
      yield {
        type: 'teardown-failed',
        id: `${header.file} teardown ${number}`,
        title: `file ${header.file}`,
        result: { ...EMPTY_OUTCOME, status: 'errored', cause: 'teardown', failures: [{ ...drawFailure(outcome, 'teardown', header.file), fixture }] },
      };
    }
  }
  if (outcome.integer(0, 1)) yield { type: 'warning', problem: problems[2] as Problem };
  if (outcome.integer(0, 2) === 0) yield { type: 'problem', problem: problems[1] as Problem };
  if (outcome.integer(0, 2) === 0) yield { type: 'output', text: 'the office opens\n' };
  if (outcome.integer(0, 2) === 0) yield { type: 'leaks', leaks: [leak('Timeout', { file: 'tariff.ts', line: 3, column: 2 }), leak('TCPSERVERWRAP')] };
  yield { type: 'finished', selected: 40, isStuck: false };
}

/** Generates a record from a seed. Another `change` gives the same tests other outcomes. */
export function drawRecord(seed: string, change = 0): OpenedRecord {
  const all = [...drawEntries(seed, change)];
  const entries = (): Iterable<JournalEntry> => all;
  const random = createRandom(`info ${seed} ${change}`);
  const info = compact({
    ...({
      kind: 'red-lattice run record',
      version: JOURNAL_VERSION,
      tool: '0.1.0',
      node: 'v24.8.0',
      platform: 'linux',
      command: ['run'],
      seed: 7,
      lanes: 2,
    } as const),
    started: `2031-04-0${1 + change}T08:00:00.000Z`,
    selection: random.pick([{}, { titles: ['stay'] }, undefined]),
    milliseconds: random.integer(0, 4) ? 1500 + change : undefined,
    notRun: perhaps(random, () => ({ cases: 3, isMore: random.integer(0, 1) === 1, reason: '--stop-after 2' })),
    machines: perhaps(random, () => ({ '1': 'quay-2' })),
    strictWarnings: perhaps(random, () => 2),
    plan: seed,
  });
  const { counts } = buildRunState({ info, entries } as unknown as OpenedRecord);
  const isBroken = counts.failed + counts.errored > 0;
  return { name: `record ${seed}`, folder: undefined, entries, info: { ...info, counts, exitStatus: isBroken ? 1 : 0 } } as OpenedRecord;
}
