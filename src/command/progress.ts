import { clearScreenDown, moveCursor } from 'node:readline';
import { renderProgress, renderProgressLine } from '../formats/human/live.ts';
import { Headings, MAX_LISTED_TESTS, renderMoreTests, renderTest } from '../formats/human/run.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { RunProgress } from '../results/run-progress.ts';
import type { RunState } from '../results/run-state.ts';
import type { Terminal } from './terminal.ts';

interface ProgressOptions {
  readonly show: 'failures' | 'cases' | 'summary';
  /** Whether tests are printed at the end, in another order. */
  readonly sort?: string;
}

/** The interval of progress in milliseconds: on a terminal, and in a pipe. */
const LIVE_INTERVAL_MS = 100;
const PLAIN_INTERVAL_MS = 30_000;

/** Prints one line per test while results arrive, and the progress below them on a terminal. */
export class Progress {
  readonly #terminal: Terminal;
  readonly #show: ProgressOptions['show'];
  readonly #headings = new Headings();
  readonly #shown = new Set<number>();
  #timer: NodeJS.Timeout | undefined;
  /** The number of lines below the last printed one that will be overwritten. */
  #live = 0;

  constructor(terminal: Terminal, { show, sort }: ProgressOptions) {
    this.#terminal = terminal;
    this.#show = sort && show === 'failures' ? 'summary' : show;
  }

  /** Prints the progress of the run at intervals. */
  startTicker(progress: () => RunProgress): void {
    const { live } = this.#terminal;
    const update = (): void => {
      if (live) this.#redraw(renderProgress(progress(), this.#terminal.width, this.#terminal.style));
      else this.#terminal.out(renderProgressLine(progress(), this.#terminal.style));
    };
    this.#timer = setInterval(update, live ? LIVE_INTERVAL_MS : PLAIN_INTERVAL_MS);
    this.#timer.unref();
  }

  take(entry: JournalEntry, state: RunState): void {
    if (entry.type === 'test-ended') this.#test(entry.test, state);
  }

  /** Prints tests that have no end of their own because a lane died. */
  finish(state: RunState): void {
    clearInterval(this.#timer);
    this.#redraw([]);
    for (const test of state.tests.keys()) this.#test(test, state);
    for (const line of renderMoreTests(this.#shown.size, this.#terminal.style)) this.#terminal.out(line);
  }

  #test(number: number, state: RunState): void {
    const test = state.tests.get(number);
    if (!test || this.#show !== 'failures' || this.#shown.has(number)) return;
    this.#shown.add(number);
    if (this.#shown.size > MAX_LISTED_TESTS) return;
    const { lines, depth } = this.#headings.of(test, this.#terminal.style);
    this.print([...lines, ...renderTest(test, this.#terminal.style, depth, this.#terminal.width)]);
  }

  /** Prints lines above those that are redrawn. */
  print(lines: readonly string[]): void {
    this.#redraw([]);
    for (const line of lines) this.#terminal.out(line);
  }

  /** Clears the redrawn lines. The next tick draws them again. */
  #redraw(lines: readonly string[]): void {
    const { live } = this.#terminal;
    if (!live) return;
    if (this.#live > 0) {
      moveCursor(live, 0, -this.#live);
      clearScreenDown(live);
    }
    for (const line of lines) this.#terminal.out(line);
    this.#live = lines.length;
  }
}
