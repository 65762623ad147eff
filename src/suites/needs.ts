import type { Provider } from '../fixtures/fixture.ts';
import type { PlannedTest } from './planned.ts';

/** The fixtures of a test: its own needs and those that its suites list in `always`. */
export function collectNeeds({ test, inherited }: PlannedTest): Record<string, Provider<any>> {
  const always = inherited.always.map((source, i): [string, Provider<any>] => [`always ${i}`, source]);
  return { ...Object.fromEntries(always), ...test.options.needs };
}
