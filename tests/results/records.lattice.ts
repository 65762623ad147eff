import { namedRows, range, suite, table, test, values } from 'red-lattice';
import { formatCaseSlug } from '../../src/cases/ids.ts';
import { createRandom } from '../../src/cases/random.ts';
import { FixtureCosts } from '../../src/results/fixture-costs.ts';
import { buildGrid, chooseAxes, findAxes } from '../../src/results/grid.ts';
import { type CompactPass, PassWriter } from '../../src/results/journal/compact-pass.ts';
import { encodeEntry, type JournalEntry } from '../../src/results/journal/entries.ts';
import { JournalBytes } from '../../src/results/journal/journal-bytes.ts';
import { Utf8LineBuffer } from '../../src/results/journal/line-buffer.ts';
import { JournalReader } from '../../src/results/journal/reader.ts';
import { applyLaneEntry, createLaneState } from '../../src/results/lane-state.ts';
import { testsInOrder } from '../../src/results/plan-order.ts';
import type { RecordedResult } from '../../src/results/recorded-result.ts';
import { recordedRow } from '../../src/results/rows.ts';
import { applyEntry, createRunState } from '../../src/results/run-state.ts';
import { Slowest } from '../../src/results/slowest.ts';
import { StatusStrip } from '../../src/results/status-strip.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { Status } from '../../src/running/result.ts';
import { passLine } from '../pass-line.ts';

const columns = ['nights', 'hull', 'power'];
const header = (test: number) => ({
  test,
  id: `a.lattice.ts#stays/t${test}`,
  file: 'a.lattice.ts',
  path: ['stays', `t${test}`],
  source: 'a table',
  tags: ['money'],
  columns,
  data: 'file:///stays.csv',
});
const result = (test: number, ordinal: number, status: Status = 'passed', row: RecordedResult['row'] = {}): RecordedResult => ({
  ...EMPTY_OUTCOME,
  test,
  ordinal,
  id: `${test}/${ordinal}`,
  title: `${test}/${ordinal}`,
  row,
  tags: [],
  attachments: [],
  status,
});

/** A pass whose line continues no other. */
const onePass: CompactPass = { test: 0, ordinal: 1, duplicateIndex: 1, start: 1, setup: 1, body: 1, teardown: 1, checks: 1, line: 0, column: 1, row: {} };

export const incompact = test('a row that a compact line cannot contain is not written: {what}', {
  cases: namedRows<{ what: string; row: object }>({
    'minus zero': { what: '-0', row: { nights: -0, hull: 'cat', power: true } },
    'not a number': { what: 'NaN', row: { nights: Number.NaN, hull: 'cat', power: true } },
    infinity: { what: 'an infinite number', row: { nights: Number.POSITIVE_INFINITY, hull: 'cat', power: true } },
    big: { what: 'a bigint', row: { nights: 1n, hull: 'cat', power: true } },
    list: { what: 'a list', row: { nights: [1], hull: 'cat', power: true } },
    object: { what: 'an object', row: { nights: {}, hull: 'cat', power: true } },
    undefined: { what: 'undefined', row: { nights: 1, hull: 'cat', power: undefined } },
    'no date': { what: 'an invalid date', row: { nights: 1, hull: 'cat', power: new Date(Number.NaN) } },
    'own property': { what: 'a date with a property', row: { nights: 1, hull: 'cat', power: Object.assign(new Date(0), { zone: 'UTC' }) } },
    'own class': { what: 'a date of another class', row: { nights: 1, hull: 'cat', power: new (class extends Date {})(0) } },
    order: { what: 'columns in another order', row: { hull: 'cat', nights: 1, power: true } },
    less: { what: 'a column less', row: { nights: 1, hull: 'cat' } },
    more: { what: 'a column more', row: { nights: 1, hull: 'cat', power: true, crew: 2 } },
    other: { what: 'another column', row: { nights: 1, hull: 'cat', crew: 2 } },
  }),
}, ({ row, check }) => {
  const pass = { test: 3, duplicateIndex: 1, start: 1, setup: 0, body: 1, teardown: 0, checks: 1, line: 2, column: 1 };
  const [writer, lines] = [new PassWriter(), new Utf8LineBuffer()];
  const given: readonly object[] = [{ nights: 1, hull: 'cat', power: true }, row.row, { nights: 2, hull: 'cat', power: null }];
  lines.text(encodeEntry({ type: 'test', header: header(3) }, JSON.stringify));
  check.equal(
    given.map((one, ordinal) => writer.write({ ...pass, ordinal, row: one as CompactPass['row'] }, columns, lines, JSON.stringify)),
    [true, false, true],
  );
  const entries = [...new JournalReader().readAll(lines.take())].flat();
  check.equal(
    entries.flatMap((entry) => (entry.type === 'ended' ? [[entry.result.ordinal, entry.result.row]] : [])),
    [
      [0, given[0] as RecordedResult['row']],
      [2, given[2] as RecordedResult['row']],
    ],
  );
});

export const records = suite('reading a record', [
  test('compact passes keep all their fields: seed {seed}', { cases: range('seed', 1, 50) }, ({ row, check, ensure }) => {
    const random = createRandom(`passes ${row.seed}`);
    const texts = ['cat', '', '"\t\\\n', '港湾', '\u2028', 'true', '\ud83d', 'x'.repeat(random.integer(60, 200_000))];
    const valuesOfRow = () => ({
      nights: random.pick([0, -2.5, 1e21, random.integer(0, 1e9) / random.pick([1, 10, 1000, 7])]),
      hull: random.pick(texts),
      power: random.pick<unknown>([true, false, null, new Date(random.integer(-1e12, 4e12)), new Date(0)]),
    });
    let pass: CompactPass = {
      test: 3,
      ordinal: random.integer(0, 1e6),
      duplicateIndex: random.integer(1, 3),
      start: random.integer(0, random.pick([1e7, 5e9])) / 1000,
      setup: 0.25,
      body: random.integer(0, random.pick([5e6, 9e9])) / 1000,
      teardown: 0.001,
      checks: random.integer(0, 9),
      line: random.pick([0, 99, 100, 999_999, 1_000_000, 9_999_999]),
      column: random.pick([1, 3]),
      row: valuesOfRow(),
    };
    const header3 = encodeEntry({ type: 'test', header: header(3) }, JSON.stringify);
    const writer = new PassWriter();
    const lines = new Utf8LineBuffer();
    lines.text(header3);
    const passes: CompactPass[] = [];
    // Most continue the previous one, as in a stream; some differ in a field, or another entry comes between.
    for (let i = 0; i < 30; i++) {
      ensure.holds(writer.write(pass, columns, lines, JSON.stringify));
      passes.push(pass);
      if (random.integer(0, 5) === 0) {
        lines.text(header3);
        writer.resetDelta();
      }
      const micro = (): number => random.integer(0, 2000) / 1000;
      const rows = random.pick([1, 1, 1, 2, 300]);
      const next = {
        ordinal: pass.ordinal + rows,
        duplicateIndex: 1,
        start: Math.round(pass.start * 1000 + random.integer(0, 3000)) / 1000,
        body: micro(),
        row: valuesOfRow(),
      };
      pass = { ...pass, ...next, line: pass.line && pass.line + rows };
      const other: Partial<CompactPass> = random.pick([
        { ordinal: pass.ordinal + 5 },
        { duplicateIndex: 2 },
        { start: 0 },
        { setup: micro() },
        { teardown: micro() },
        { checks: 77 },
        { line: 5 },
        { column: 1 },
        { column: 24 },
      ]);
      if (random.integer(0, 3) === 0) pass = { ...pass, ...other };
    }
    const bytes = lines.take().slice();
    check.includes(new TextDecoder().decode(bytes), '\n=', 'some go on');
    const reader = new JournalReader();
    const oneByOne = new TextDecoder('utf-8', { ignoreBOM: true })
      .decode(bytes)
      .trimEnd()
      .split('\n')
      .map((line) => reader.read(line));
    for (const entries of [oneByOne, [...new JournalReader().readAll(bytes)].flat()]) {
      const results = entries.flatMap((entry) => (entry?.type === 'ended' ? [entry.result] : []));
      check.equal(
        results.map(({ test, ordinal, start, times, checks, status, row }) => ({ test, ordinal, start, ...times, checks: checks.passed, status, row })),
        passes.map(({ duplicateIndex: _duplicateIndex, line: _line, column: _column, row, ...rest }) => ({
          ...rest,
          status: 'passed' as const,
          row: recordedRow(row),
        })),
      );
      check.equal(
        results.map(({ id, location }) => [id, location?.line, location?.column]),
        passes.map(({ row, duplicateIndex, line, column }) => [
          `a.lattice.ts#stays/t3/${formatCaseSlug(row, undefined)}${duplicateIndex > 1 ? `~${duplicateIndex}` : ''}`,
          line || undefined,
          line ? column : undefined,
        ]),
      );
    }
  }),

  test('only lines of some types are read, and plain passes: {types}', {
    cases: table(['types', 'read'], [
      [undefined, ['header', 'test', 'ended', 'ended', 'idle', 'ended', 'output', 'ended']],
      [['idle'], ['header', 'test', 'ended', 'idle', 'ended', 'ended']],
      [['ended'], ['header', 'test', 'ended', 'ended', 'ended', 'ended']],
      [
        ['idle', 'output'],
        ['header', 'test', 'ended', 'idle', 'ended', 'output', 'ended'],
      ],
      [[], ['header', 'test', 'ended', 'ended', 'ended']],
    ] as const),
  }, ({ row: { types, read }, check }) => {
    const pass = { ...onePass, test: 3, row: { nights: 1, hull: 'cat', power: true } };
    const lines = [
      ...[{ type: 'header', version: 6, lane: 0 } as const, { type: 'test', header: header(3) } as const].map((entry) =>
        encodeEntry(entry, JSON.stringify).trimEnd(),
      ),
      encodeEntry({ type: 'ended', result: result(3, 0, 'failed') }, JSON.stringify).trimEnd(),
      passLine(pass),
      '{"type":"idle"}',
      passLine({ ...pass, ordinal: 5 }),
      '{"type":"output","text":"idle"}',
      passLine({ ...pass, ordinal: 9 }),
    ];
    const entries = [...new JournalReader().readAll(new TextEncoder().encode(`${lines.join('\n')}\n`), { types })].flat();
    check.equal(
      entries.map(({ type }) => type),
      [...read],
    );
  }),

  test('a line that continues a missing line is left out, in its own lane', ({ check }) => {
    const reader = new JournalReader();
    const pass = onePass;
    const read = (line: string): number | undefined => {
      const entry = reader.read(line);
      return entry?.type === 'ended' ? entry.result.ordinal : undefined;
    };
    const of = (lane: number): string => encodeEntry({ type: 'header', version: 3, lane }, JSON.stringify).trimEnd();
    const lines = [
      '=1 1\t[]',
      passLine(pass),
      '=1 1\t[]',
      of(1),
      '=1 1\t[]',
      passLine({ ...pass, ordinal: 8 }),
      of(0),
      '=1 1\t[]',
      '{"is":"idle"}',
      '=1 1\t[]',
      passLine(pass),
      '+0 9 1\t',
      '=1 1\t[]',
    ];
    check.equal(lines.map(read), [undefined, 1, 2, undefined, undefined, 8, undefined, 3, undefined, undefined, 1, undefined, undefined]);
  }),

  test('a block of passes has the same sums as its cases: seed {seed}', { cases: range('seed', 1, 30) }, ({ row, check }) => {
    const random = createRandom(`blocks ${row.seed}`);
    const journal = new JournalBytes(JSON.stringify);
    const pieces: Uint8Array[] = [];
    const name = (ordinal: number) => ({ test: 3, ordinal, id: '', title: '', row: {}, tags: [] });
    for (const number of [3, 4]) journal.put({ type: 'test', header: header(number) });
    // Streams without or with gaps, and other entries between them.
    for (let ordinal = 0, number = 3, i = 0; i < 300; i++) {
      const between = random.integer(0, 150);
      if (between === 0) number = 7 - number;
      else if (between === 1) ordinal = random.integer(0, 3000);
      else if (between === 2) pieces.push(journal.take().slice());
      else if (between === 3) journal.put({ type: 'started', name: name(ordinal + 1), attempt: 1, start: 0 });
      else if (between === 4) ordinal += 64;
      else if (between === 5) journal.put({ type: 'ended', result: result(number, ordinal, 'failed') });
      ordinal += row.seed % 3 === 0 ? 1 : random.pick([1, 1, 1, 2, 5, 64]);
      const times = { setup: 0.25, body: random.integer(0, 9000) / 1000, teardown: 0 };
      const place = { line: ordinal + 2, column: random.integer(0, 20) === 0 ? 7 : 1 };
      const pass = { test: number, ordinal, duplicateIndex: random.integer(0, 20) === 0 ? 2 : 1, start: i, checks: random.integer(0, 2), ...place, ...times };
      journal.pass({ ...pass, row: { nights: ordinal, hull: 'cat', power: true } }, columns);
    }
    pieces.push(journal.take().slice());
    const whole = new Uint8Array(pieces.flatMap((piece) => [...piece]));
    const read = (bytes: Uint8Array, inBlocks: boolean) => {
      const [state, lane] = [createRunState(), createLaneState()];
      const entries = [...new JournalReader().readAll(bytes, { inBlocks })].flat();
      for (const entry of entries) {
        applyEntry(state, entry);
        applyLaneEntry(lane, entry, 0);
      }
      const round = (milliseconds: number): number => Math.round(milliseconds * 1000);
      const tests = [...state.tests.values()].map(({ counts, strip, milliseconds }) => ({ counts, strip: strip.downsample(5000), time: round(milliseconds) }));
      const { counts, totalCaseMs, unchecked, slowest, failures } = state;
      return {
        entries,
        sums: { tests, counts, summed: round(totalCaseMs), unchecked, slowest: slowest.items, failed: failures.length, under: [...lane.runningCases.keys()] },
      };
    };
    // Whole, and cut after one of its lines.
    const lineEnds = [...whole.keys()].filter((at) => whole[at] === 10);
    for (const end of [whole.length, ...Array.from({ length: 4 }, () => random.pick(lineEnds) + 1)]) {
      const bytes = whole.subarray(0, end);
      const [inBlocks, oneByOne] = [read(bytes, true), read(bytes, false)];
      check.equal(inBlocks.sums, oneByOne.sums, `of ${end} bytes`);
      if (end === whole.length) check.holds(inBlocks.entries.length < oneByOne.entries.length * 0.8, 'most come many at once');
    }
  }),

  test('passes after an invalid head are read one by one: {head}', {
    cases: values('head', ['*', '*-60 3 20 1 0 0 0', '*x 3 20 1 0 0 0', '*9 3 20 1 0 0 0', '*60 3 20', '*99999 3 20 1 0 0 0']),
  }, ({ row, check }) => {
    const line = passLine({ ...onePass, test: 3 });
    const bytes = new TextEncoder().encode(`${row.head}\n${`${line}\n`.repeat(20)}`);
    check.equal(
      [...new JournalReader().readAll(bytes, { inBlocks: true })].flat().map(({ type }) => type),
      Array.from({ length: 20 }, () => 'ended' as const),
    );
  }),

  test('an incomplete line is left out', ({ check }) => {
    const line = passLine({ ...onePass, row: { hull: 'cat', nights: 2 } });
    for (let length = 1; length < line.length; length++) check.equal(new JournalReader().read(line.slice(0, length)), undefined, line.slice(0, length));
    check.present(new JournalReader().read(line));
  }),

  test('tests are in the order of the plan, and cases in that of their rows, even if not all are held at once', { timeout: 60_000 }, ({ check }) => {
    const counts = [26_000, 26_000, 3, 51_000, 5];
    const entries: JournalEntry[] = [3, 1, 4, 0, 2].map((test) => ({ type: 'test', header: header(test) }));
    for (const lane of [1, 0]) {
      entries.push({ type: 'header', version: 3, lane });
      // From the last row to the first, every second one in the other lane.
      for (const [test, count] of counts.entries())
        for (let ordinal = count - 1; ordinal >= 0; ordinal--) if (ordinal % 2 === lane) entries.push({ type: 'ended', result: result(test, ordinal) });
    }
    const seen = [...testsInOrder(() => entries)].map(({ header, count, results }) => {
      const ordinals = [...results()].map(({ result }) => result.ordinal);
      return { test: header.test, count, all: new Set(ordinals).size, isOrdered: ordinals.every((ordinal, i) => ordinal === i) };
    });
    check.equal(
      seen.map(({ test, count, all }) => [test, count, all]),
      counts.map((count, test) => [test, count, count]),
    );
    // The results of one test with more cases than are held are ordered by lane.
    check.equal(
      seen.map(({ isOrdered }) => isOrdered),
      [true, true, true, false, true],
    );
  }),

  test('a strip shows {cases} cases in {parts} parts', {
    cases: namedRows<{ cases: readonly Status[]; parts: number; folded: string }>({
      perCase: { cases: ['passed', 'failed', 'skipped'], parts: 5, folded: 'passed failed skipped' },
      halves: { cases: ['passed', 'passed', 'passed', 'failed'], parts: 2, folded: 'passed failed*' },
      worst: { cases: ['not-requested', 'known-failure', 'passed', 'errored', 'failed', 'passed'], parts: 3, folded: 'known-failure* errored* failed*' },
    }),
  }, ({ row, check }) => {
    const strip = new StatusStrip();
    for (const [at, status] of row.cases.entries()) strip.set(at, status);
    check.equal(
      strip
        .downsample(row.parts)
        .map(({ status, isMixed }) => `${status}${isMixed ? '*' : ''}`)
        .join(' '),
      row.folded,
    );
  }),

  test('the slowest cases are kept: seed {seed}', { cases: range('seed', 1, 30) }, ({ row, check }) => {
    const random = createRandom(`times ${row.seed}`);
    const times = Array.from({ length: 60 }, () => random.integer(0, 40));
    const slowest = new Slowest(5);
    for (let at = 0; at < times.length; ) {
      const some = times.slice(at, at + random.integer(1, 6));
      at += some.length;
      const longest = Math.max(...some);
      if (random.integer(0, 1)) slowest.takeBlock({ longest, all: () => some.map((time) => [{ title: String(time) }, time] as const) });
      else for (const time of some) slowest.take({ title: String(time) }, time);
    }
    check.equal(
      slowest.items.map(({ milliseconds }) => milliseconds),
      times.sort((a, b) => b - a).slice(0, 5),
    );
  }),

  test('a run-scoped fixture is counted once, however many lanes wait for it', ({ check }) => {
    const costs = new FixtureCosts();
    const span = { fixture: 'database', owner: '', start: 0 } as const;
    for (const milliseconds of [30, 20]) costs.take({ ...span, kind: 'setup', scope: 'lane', milliseconds });
    for (const milliseconds of [900, 700]) costs.take({ ...span, kind: 'setup', scope: 'run', milliseconds });
    costs.take({ ...span, kind: 'teardown', scope: 'lane', milliseconds: 5 });
    costs.take({ ...span, kind: 'setup', scope: 'case', milliseconds: 5000 });
    check.equal(
      costs.all.map(({ scope, setups, setup, teardown }) => [scope, setups, setup, teardown]),
      [
        ['run', 1, 900, 0],
        ['lane', 2, 50, 5],
      ],
    );
  }),

  test('a grid contains each case once, under its own values: seed {seed}', { cases: range('seed', 1, 20) }, ({ row, check, ensure }) => {
    const random = createRandom(`grids ${row.seed}`);
    const cases = Array.from({ length: 200 }, (_, i) =>
      result(0, i, random.pick(['passed', 'failed', 'errored', 'skipped']), {
        hull: random.pick(['mono', 'cat']),
        stay: { nights: random.integer(1, 5) },
        loa: random.real(1, 9),
        power: random.pick([true, false]),
      }),
    );
    const axes = findAxes(cases.map(({ row }) => row));
    check.equal(
      axes.map(({ column }) => column),
      ['hull', 'stay.nights', 'power'],
    );
    const { down, across } = ensure.present(chooseAxes(axes, new Set(['power']), () => true)) as { down: string[]; across: string[] };
    check.includes([...down, ...across], 'power');
    const grid = buildGrid(cases, axes, ['hull', 'power'], ['stay.nights']);
    check.equal(grid.lines.flatMap(({ cells }) => cells.flatMap((cell) => cell?.results ?? [])).length, cases.length);
    for (const { values, cells } of grid.lines) {
      for (const [i, cell] of cells.entries()) {
        const own = cases.filter(
          ({ row }) => row['hull'] === values[0] && row['power'] === values[1] && (row['stay'] as { nights: number }).nights === grid.columnHeaders[i]?.[0],
        );
        check.equal(
          [cell?.results.length ?? 0, cell?.failing ?? 0],
          [own.length, own.filter(({ status }) => status === 'failed' || status === 'errored').length],
        );
        if (own.length > 0)
          check.equal(
            cell?.status,
            (['errored', 'failed', 'passed', 'skipped'] as const).find((status) => own.some((one) => one.status === status)),
          );
      }
    }
  }),
]);
