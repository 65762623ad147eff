import { range, test } from 'red-lattice';
// The plan is created from the sources, and so are its tests.
import * as library from '../../src/index.ts';
import { explainCase } from '../../src/running/explain-case.ts';
import { expandCases } from '../../src/suites/expand.ts';
import { BUILT_IN_DEFAULTS, planFiles } from '../../src/suites/plan.ts';
import { type Group, listTests, type PlannedTest } from '../../src/suites/planned.ts';
import { splitPlan, type WorkUnit } from '../../src/suites/work-units.ts';
import { makeGraph } from '../fixtures/graphs.ts';
import { buildReal, type Library } from '../fixtures/real.ts';

/** The scopes of the fixtures of all cases of a test, as each case is explained. */
async function scopesOf(planned: PlannedTest): Promise<Set<string>> {
  const scopes = new Set<string>(typeof planned.test.options.overrides === 'function' ? ['file'] : []);
  for await (const cases of expandCases(planned, {})) for (const one of cases) for (const { scope } of explainCase(one).fixtures) scopes.add(scope);
  return scopes;
}

/** The units of one file, computed plainly. */
async function unitsOf(file: Group): Promise<WorkUnit[]> {
  const scopes = new Map<PlannedTest, Set<string>>();
  for (const one of listTests(file)) scopes.set(one, await scopesOf(one));
  const use = (scope: string, tests: readonly PlannedTest[]): boolean => tests.some((one) => scopes.get(one)?.has(scope));
  const whole = (tests: readonly PlannedTest[]): WorkUnit => ({ tests: tests.map(({ index }) => index), isPartitionable: false });
  if (use('file', listTests(file))) return [whole(listTests(file))];
  return file.children.flatMap((child) => {
    const tests = listTests(child);
    if (child.kind === 'suite' && use('suite', tests)) return [whole(tests)];
    return tests.map((one) => ({ tests: [one.index], isPartitionable: one.source !== undefined && !use('test', [one]) && !use('suite', [one]) }));
  });
}

export const units = test('work units share no instance of a fixture: seed {seed}', { cases: range('seed', 1, 80) }, async ({ row, check, ensure }) => {
  const roots = [row.seed, row.seed + 1000].map((seed) => buildReal(makeGraph(seed), library as unknown as Library).root);
  const files = roots.map((root, i) => ({ file: `${i}.lattice.ts`, url: new URL(`file:///${i}.lattice.ts`), exports: { root }, folders: [] }));
  const plan = await planFiles(files, {}, BUILT_IN_DEFAULTS);
  ensure.equal(plan.problems, []);
  const expected: WorkUnit[] = [];
  for (const file of plan.files) expected.push(...(await unitsOf(file)));
  check.equal(splitPlan(plan), expected);
});
