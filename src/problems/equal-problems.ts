import type { Problem } from './problem.ts';

/** Counts equal problems, in the order of their first occurrence. Several tests that read the same data file report the same problem. */
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
