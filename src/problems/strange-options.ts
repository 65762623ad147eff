import { type Problem, ProblemError } from './problem.ts';

/** Options that nothing reads, such as a misspelt one. Where there are types, these tell of most; without, it would be left out silently. */
export const strangeOptions = (given: object | undefined, known: Readonly<Record<string, true>>, owner: string): Problem[] =>
  Object.entries(given ?? {})
    .filter(([name, value]) => value !== undefined && !Object.hasOwn(known, name))
    .map(([name]) => ({ code: 'no-such-name', kind: 'option', name, owner, known: Object.keys(known) }));

/** Refuses them at once. */
export function refuseStrangeOptions(given: object | undefined, known: Readonly<Record<string, true>>, owner: string): void {
  const problems = strangeOptions(given, known, owner);
  if (problems.length) throw new ProblemError(problems);
}
