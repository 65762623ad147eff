import type { Problem } from './problem.ts';

/** Counts equal problems: tests that read one data file have the same ones. In the order of their first occurrence. */
export function countEqualProblems(problems: readonly Problem[]): readonly { readonly problem: Problem; readonly count: number }[] {
  const counts = new Map<string, { problem: Problem; count: number }>();
  for (const problem of problems) {
    const key = JSON.stringify(problem);
    const known = counts.get(key);
    if (known) known.count++;
    else counts.set(key, { problem, count: 1 });
  }
  return [...counts.values()];
}
