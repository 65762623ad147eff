import type { Provider } from '../fixtures/fixture.ts';
import type { PlannedTest } from './planned.ts';

/** All that a test's cases get: what it names, and what its suites give to everyone. */
export function needsOf({ test, inherited }: PlannedTest): Record<string, Provider<any>> {
  const always = inherited.always.map((source, i): [string, Provider<any>] => [`always ${i}`, source]);
  return { ...Object.fromEntries(always), ...test.options.needs };
}
