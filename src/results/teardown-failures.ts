import type { Problem } from '../problems/problem.ts';
import type { JournalEntry } from './journal/entries.ts';

/** The failed teardown of a shared fixture as a problem. It does not count as a case. */
export const buildTeardownProblem = ({ title, result }: Extract<JournalEntry, { type: 'teardown-failed' }>): Problem => {
  const [failure] = result.failures;
  return { code: 'teardown-failed', title, reason: failure?.message ?? result.status, ...(failure?.location && { at: failure.location }) };
};
