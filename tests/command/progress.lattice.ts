import { Writable } from 'node:stream';
import { namedRows, table, test } from 'red-lattice';
import { Progress } from '../../src/command/progress.ts';
import { fitLines, type Terminal } from '../../src/command/terminal.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { applyEntry, createRunState, type RunState } from '../../src/results/run-state.ts';

/** What is printed, in order. A cursor that moves up is shown as `↑3`, and what is cleared below it as `⌫`. */
function watchTerminal(isLive: boolean): { terminal: Terminal; printed: string[] } {
  const printed: string[] = [];
  const stream = new Writable({
    write(chunk, _encoding, done) {
      printed.push(
        String(chunk)
          .replace(/\u001b\[(\d+)A/g, '↑$1')
          .replaceAll('\u001b[0J', '⌫'),
      );
      done();
    },
  });
  const out = (line: string): void => void printed.push(line);
  return { printed, terminal: { out, writeRaw: out, error: out, style: plainStyle, live: isLive ? stream : undefined, width: 80 } };
}

/** The state of a run of tests with one passed case each. */
function stateOf(titles: readonly string[]): RunState {
  const state = createRunState();
  for (const [test, title] of titles.entries())
    applyEntry(state, { type: 'test', header: { test, id: title, file: 'a.lattice.ts', path: [title], tags: [], columns: [] } });
  return state;
}

export const progress = test('the progress of a run prints {what}', {
  cases: namedRows<{ what: string; isLive: boolean; show: 'failures' | 'summary'; sort?: 'time'; expected: readonly string[] }>({
    live: {
      what: 'tests above the lines that it redraws, without clearing others',
      isLive: true,
      show: 'failures',
      expected: ['', 'a.lattice.ts', 'first', 'second', 'note'],
    },
    plain: { what: 'tests one after another', isLive: false, show: 'failures', expected: ['', 'a.lattice.ts', 'first', 'second', 'note'] },
    summary: { what: 'no tests in a summary', isLive: true, show: 'summary', expected: ['note'] },
    sorted: { what: 'no tests before they are sorted', isLive: false, show: 'failures', sort: 'time', expected: ['note'] },
  }),
}, ({ row: { isLive, show, sort, expected }, check }) => {
  const { terminal, printed } = watchTerminal(isLive);
  const state = stateOf(['first', 'second']);
  const progress = new Progress(terminal, { show, ...(sort && { sort }) });
  progress.take({ type: 'test-ended', test: 0 }, state);
  progress.take({ type: 'test-ended', test: 0 }, state);
  progress.take({ type: 'test-ended', test: 9 }, state);
  progress.finish(state);
  progress.print(['note']);
  check.equal(
    printed.map((line) =>
      line
        .trim()
        .replace(/^[^\w.]* /, '')
        .replace(/ {2}.*/, ''),
    ),
    [...expected],
  );
});

export const ticks = test('the lines of the progress are drawn again in the same place', async ({ check, eventually }) => {
  const { terminal, printed } = watchTerminal(true);
  const progress = new Progress(terminal, { show: 'summary' });
  const state = createRunState();
  progress.startTicker(() => ({ state, lanes: [], elapsed: 1000, expected: undefined }));
  await eventually(() => printed.filter((line) => line.includes('no result yet')).length >= 3);
  progress.finish(state);
  const first = printed.indexOf('');
  const height = printed.findIndex((line) => line.startsWith('↑')) - first;
  check.holds(height > 0);
  // Each drawing but the first goes back over the one before, and the end clears the last.
  check.equal(new Set(printed.filter((line) => line.startsWith('↑'))), new Set([`↑${height}`]));
  check.equal(printed.slice(-2), [`↑${height}`, '⌫']);
});

export const fitted = test('a long line is broken on a terminal of {columns} columns: {isBroken}', {
  cases: table(
    ['isTTY', 'columns', 'isBroken'],
    [
      [true, 60, true],
      [true, 40, true],
      [true, 39, false],
      [true, 0, false],
      [true, undefined, false],
      [false, 60, false],
    ],
  ),
}, ({ row: { isBroken, ...stream }, check }) => {
  const [long, command] = ['berth '.repeat(20).trimEnd(), `npx red-lattice run ${'berth '.repeat(20)}`];
  const [first, ...others] = fitLines(`${command}\n${long}`, stream as { columns: number }).split('\n');
  check.equal([first, others.length > 1, others.map((line) => line.trim()).join(' ')], [command, isBroken, long]);
});
