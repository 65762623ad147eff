import { describeThrown, isInstanceOf } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';

/** What threw, without the reason. */
type Thrown =
  | { readonly code: 'source-threw'; readonly source: string }
  | { readonly code: 'children-threw'; readonly title: string }
  | { readonly code: 'overrides-threw' };

/** The problems of what a user's function threw: its own ones, or that it threw. */
export const problemsOf = (error: unknown, thrown: Thrown): readonly Problem[] =>
  isInstanceOf(error, ProblemError) ? error.problems : [{ ...thrown, reason: describeThrown(error) }];
