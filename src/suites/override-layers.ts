import { fixture, type Provider } from '../fixtures/fixture.ts';
import type { SetupTeardown, SuiteImpl, SuiteOptions } from './suite.ts';

/** Lists overrides. A function is called with the row. */
export function findOverrides(overrides: readonly unknown[] | ((row: any) => readonly unknown[]) | undefined, row: object = {}): readonly unknown[] {
  return (typeof overrides === 'function' ? overrides(row) : overrides) ?? [];
}

/** Merges a suite's options with those of its adaptations: tags and fixtures add up; other options are replaced by later ones. */
export function mergeLayers(layers: SuiteImpl['layers']): SuiteOptions<any> {
  let whole: Record<string, unknown> = {};
  for (const { options } of layers) {
    const next: Record<string, unknown> = { ...whole };
    for (const [name, value] of Object.entries(options)) {
      if (value === undefined) continue;
      const before = whole[name] as unknown[] | undefined;
      next[name] =
        (name === 'tags' || name === 'always' || name === 'locks') && before
          ? [...before, ...(value as unknown[])]
          : name === 'annotations' && before
            ? { ...before, ...(value as object) }
            : value;
    }
    whole = next;
  }
  return whole as SuiteOptions<any>;
}

/** By scope, since one object can be used for both options. */
const hookFixtures = { case: new WeakMap<SetupTeardown, Provider<any>>(), suite: new WeakMap<SetupTeardown, Provider<any>>() };

/** The fixtures that `perCase` and `perSuite` stand for. */
export function findHookFixtures({ perCase, perSuite }: Pick<SuiteOptions, 'perCase' | 'perSuite'>): Provider<any>[] {
  const make = (hooks: SetupTeardown | undefined, scope: 'case' | 'suite', name: string): Provider<any>[] => {
    if (!hooks) return [];
    let made = hookFixtures[scope].get(hooks);
    if (!made) {
      made = fixture(name, { scope, setup: (context) => hooks.setup?.(context), teardown: (_value, _needs, outcome) => hooks.teardown?.(outcome) });
      hookFixtures[scope].set(hooks, made);
    }
    return [made];
  };
  return [...make(perSuite, 'suite', 'perSuite'), ...make(perCase, 'case', 'perCase')];
}
