import type { JournalEntry } from '../results/journal/entries.ts';
import { type RunState, setNotRun } from '../results/run-state.ts';

/** Counts the cases that a run did not reach. */
export class LeftOut {
  /** The reason, if the run ended early. */
  reason: string | undefined;
  #cases = 0;
  /** Whether there are cases that no lane has counted. */
  #isMore = false;

  /** Adds the cases that a lane counted at its end. */
  count({ notRun }: Extract<JournalEntry, { type: 'finished' }>): void {
    this.#cases += notRun?.cases ?? 0;
    this.#isMore ||= notRun?.isMore === true;
  }

  /** Notes that a lane died without counting its cases. */
  markUncounted(): void {
    this.#isMore = true;
  }

  /** Adds the counts to the state. `stopReason` applies if the run has no other reason. `hasMore`: some work units were never assigned. */
  apply(state: RunState, stopReason: string | undefined, hasMore: boolean): void {
    const reason = this.reason ?? stopReason;
    const isMore = this.#isMore || hasMore;
    if (reason !== undefined && (this.#cases > 0 || isMore)) setNotRun(state, { cases: this.#cases, isMore, reason });
  }
}
