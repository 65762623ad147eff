import { describeThrown, isInstanceOf } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';

/** Which function of the user threw. */
type Thrower =
  | { readonly code: 'source-threw'; readonly source: string }
  | { readonly code: 'children-threw'; readonly title: string }
  | { readonly code: 'overrides-threw' };

/** The problems of what a user's function threw: its own ones, or that it threw. */
export const problemsOf = (error: unknown, thrower: Thrower): readonly Problem[] =>
  isInstanceOf(error, ProblemError) ? error.problems : [{ ...thrower, reason: describeThrown(error) }];
