import type { Problem } from '../problems/problem.ts';
import type { JournalEntry } from './journal.ts';

/** A shared teardown that failed is no case: beside the cases it is a problem of the run. */
export const problemOf = ({ title, result }: Extract<JournalEntry, { type: 'teardown-failed' }>): Problem => {
  const [failure] = result.failures;
  return { code: 'teardown-failed', title, reason: failure?.message ?? result.status, ...(failure?.location && { at: failure.location }) };
};
