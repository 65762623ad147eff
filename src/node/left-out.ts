import type { JournalEntry } from '../results/journal/entries.ts';
import { type RunState, takeUnrun } from '../results/run-state.ts';

/** What a run that ended before its time left out, and why. */
export class LeftOut {
  /** Why the run ended before its time, if it did. */
  reason: string | undefined;
  #cases = 0;
  /** Of what was not run, nobody knows how much it is. */
  #isMore = false;

  /** A lane has ended that counts the cases that it did not run. */
  count({ unrun }: Extract<JournalEntry, { type: 'finished' }>): void {
    this.#cases += unrun?.cases ?? 0;
    this.#isMore ||= unrun?.isMore === true;
  }

  /** A lane has died: it would have counted. */
  markUncounted(): void {
    this.#isMore = true;
  }

  /** `isStopped`: why no more cases were started, if the run has no other reason. `hasMore`: some were never dealt to a lane. */
  apply(state: RunState, isStopped: string | undefined, hasMore: boolean): void {
    const reason = this.reason ?? isStopped;
    const isMore = this.#isMore || hasMore;
    if (reason !== undefined && (this.#cases > 0 || isMore)) takeUnrun(state, { cases: this.#cases, isMore, reason });
  }
}
