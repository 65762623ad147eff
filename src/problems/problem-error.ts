import { formatProblem } from './format-problem.ts';
import type { Problem } from './problem.ts';

/** Thrown for invalid arguments and plan errors. Its message lists its problems. */
export class ProblemError extends Error {
  override readonly name = 'ProblemError';
  readonly problems: readonly Problem[];

  constructor(problems: readonly Problem[]) {
    super(problems.map((problem) => formatProblem(problem)).join('\n'));
    this.problems = problems;
  }
}

export const throwProblem = (problem: Problem): never => {
  throw new ProblemError([problem]);
};
