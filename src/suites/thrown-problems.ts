import { describeThrown, isInstanceOf } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';

/** The user function that threw. */
type Thrower =
  | { readonly code: 'source-threw'; readonly source: string }
  | { readonly code: 'children-threw'; readonly title: string }
  | { readonly code: 'overrides-threw' };

/** Converts a thrown value to problems: those of a ProblemError, or one problem that names the function and the reason. */
export const problemsOf = (error: unknown, thrower: Thrower): readonly Problem[] =>
  isInstanceOf(error, ProblemError) ? error.problems : [{ ...thrower, reason: describeThrown(error) }];
