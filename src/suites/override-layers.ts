import { fixture, type Provider } from '../fixtures/fixture.ts';
import type { SetupTeardown, SuiteImpl, SuiteOptions } from './suite.ts';

/** Bindings as a list, also where a row says what they are. */
export function findOverrides(bind: readonly unknown[] | ((row: any) => readonly unknown[]) | undefined, row: object = {}): readonly unknown[] {
  return (typeof bind === 'function' ? bind(row) : bind) ?? [];
}

/** A suite's options with those of its adaptations laid over: tags and fixtures add up, for the rest the later wins. */
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

/** By their scope: one object may stand under both names. */
const hookFixtures = { case: new WeakMap<SetupTeardown, Provider<any>>(), suite: new WeakMap<SetupTeardown, Provider<any>>() };

/** The fixtures that `perCase` and `perSuite` are short for. */
export function findHookFixtures({ perCase, perSuite }: Pick<SuiteOptions, 'perCase' | 'perSuite'>): Provider<any>[] {
  const make = (around: SetupTeardown | undefined, scope: 'case' | 'suite', name: string): Provider<any>[] => {
    if (!around) return [];
    let made = hookFixtures[scope].get(around);
    if (!made) {
      made = fixture(name, { scope, setup: (moment) => around.setup?.(moment), teardown: (_value, _needs, outcome) => around.teardown?.(outcome) });
      hookFixtures[scope].set(around, made);
    }
    return [made];
  };
  return [...make(perSuite, 'suite', 'perSuite'), ...make(perCase, 'case', 'perCase')];
}
